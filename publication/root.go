package publication

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/theupdateframework/go-tuf/v2/metadata"

	"endroit/published"
	"endroit/safefile"
)

// OnlineRoles are the roles whose keys lie on the service's machine.
var OnlineRoles = []string{metadata.TARGETS, metadata.SNAPSHOT, metadata.TIMESTAMP}

// Roles are all roles.
var Roles = append([]string{metadata.ROOT}, OnlineRoles...)

// rootLasts is how long a root can be used before it has to be signed again.
const rootLasts = 400 * 24 * time.Hour

// Plan is what a publication begins with.
type Plan struct {
	Name      string // whose it is, for people
	Home      string // an address where they say so, if there is one
	Root      []*Key
	Threshold int // how many of the root keys have to sign
}

// Make makes a publication: keys for the online roles in a folder that is empty or missing,
// and the first root, signed by the root keys.
func Make(folder string, p Plan, now time.Time) error {
	if p.Threshold < 1 || p.Threshold > len(p.Root) {
		return fmt.Errorf("make keys: the threshold must be from 1 to the number of root keys (%d)", len(p.Root))
	}
	if list, err := os.ReadDir(folder); err == nil && len(list) > 0 {
		return fmt.Errorf("make keys: the folder %s is not empty", folder)
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return fmt.Errorf("make keys: %w", err)
	}
	root := metadata.Root(now.Add(rootLasts).UTC().Truncate(time.Second))
	root.Signed.ConsistentSnapshot = true
	root.Signed.UnrecognizedFields = map[string]any{published.OwnField: published.Publisher{Name: p.Name, Home: p.Home}}
	for _, k := range p.Root {
		if err := root.Signed.AddKey(k.public, metadata.ROOT); err != nil {
			return fmt.Errorf("make keys: %w", err)
		}
	}
	root.Signed.Roles[metadata.ROOT].Threshold = p.Threshold
	for _, role := range OnlineRoles {
		if err := addOnline(folder, root, role); err != nil {
			return err
		}
	}
	return saveRoot(folder, root, p.Root)
}

// addOnline makes a key for an online role.
func addOnline(folder string, root *metadata.Metadata[metadata.RootType], role string) error {
	k, err := NewKey()
	if err != nil {
		return err
	}
	if err := k.Save(filepath.Join(folder, onlineFile(role, k)), nil); err != nil {
		return err
	}
	return root.Signed.AddKey(k.public, role)
}

func onlineFile(role string, k *Key) string { return role + "-" + k.id[:8] + ".key" }

// saveRoot signs a root with these keys and writes it beside those before.
func saveRoot(folder string, root *metadata.Metadata[metadata.RootType], keys []*Key) error {
	root.ClearSignatures()
	for _, k := range keys {
		s, err := k.signer()
		if err == nil {
			_, err = root.Sign(s)
		}
		if err != nil {
			return fmt.Errorf("sign the root: %w", err)
		}
	}
	if err := root.VerifyDelegate(metadata.ROOT, root); err != nil {
		return fmt.Errorf(
			"sign the root: it needs the signatures of %d of its root keys, and these are not enough: name more with --root",
			root.Signed.Roles[metadata.ROOT].Threshold,
		)
	}
	raw, err := root.ToBytes(true)
	if err != nil {
		return fmt.Errorf("sign the root: %w", err)
	}
	name := filepath.Join(folder, fmt.Sprintf("%d.root.json", root.Signed.Version))
	if _, err := os.Stat(name); err == nil {
		return fmt.Errorf("sign the root: %s exists already", name)
	}
	return safefile.Write(name, raw)
}

var rootName = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^([1-9][0-9]{0,5})\.root\.json$`) })

// Roots reads all roots of a publication's folder, the first one first, as their files are.
func Roots(folder string) ([][]byte, error) {
	list, err := os.ReadDir(folder)
	if err != nil {
		return nil, fmt.Errorf("read the keys: %w", err)
	}
	byVersion := map[int][]byte{}
	for _, f := range list {
		m := rootName().FindStringSubmatch(f.Name())
		if m == nil {
			continue
		}
		n, _ := strconv.Atoi(m[1])
		if byVersion[n], err = safefile.Read(filepath.Join(folder, f.Name()), published.MaxRoot); err != nil {
			return nil, fmt.Errorf("read the keys: %w", err)
		}
	}
	var roots [][]byte
	for n := 1; byVersion[n] != nil; n++ {
		roots = append(roots, byVersion[n])
	}
	if len(roots) == 0 || len(roots) != len(byVersion) {
		return nil, fmt.Errorf("%s: the roots 1.root.json and those after it are not all there", folder)
	}
	return roots, nil
}

// newest is the newest root of a folder.
func newest(folder string) (*metadata.Metadata[metadata.RootType], error) {
	roots, err := Roots(folder)
	if err != nil {
		return nil, err
	}
	root, err := metadata.Root().FromBytes(roots[len(roots)-1])
	if err != nil {
		return nil, fmt.Errorf("read the newest root in %s: %w", folder, err)
	}
	return root, nil
}

// Change is what becomes of the keys in the next root. The zero value signs it for longer.
type Change struct {
	Rotate  string // an online role that gets another key
	Revoke  string // the id of a key that does not count any more, or its first digits
	AddRoot []*Key // further root keys
	// Threshold is how many root keys have to sign; 0 as before.
	Threshold int
}

// Renew makes the next root, signed by the present root keys that are given and by those
// that are added. The files of online keys that do not count any more are removed last.
func Renew(folder string, c Change, keys []*Key, now time.Time) error {
	root, err := newest(folder)
	if err != nil {
		return err
	}
	before, err := newest(folder)
	if err != nil {
		return err
	}
	var gone []string
	if c.Rotate != "" {
		if !slices.Contains(OnlineRoles, c.Rotate) {
			return fmt.Errorf(
				"rotate: %q is not one of the roles targets, snapshot and timestamp; for root, add a key and revoke the old one", c.Rotate,
			)
		}
		if gone, err = replaceOnline(folder, root, c.Rotate, root.Signed.Roles[c.Rotate].KeyIDs); err != nil {
			return err
		}
	}
	for _, k := range c.AddRoot {
		if err := root.Signed.AddKey(k.public, metadata.ROOT); err != nil {
			return fmt.Errorf("add a root key: %w", err)
		}
	}
	if c.Threshold > 0 {
		root.Signed.Roles[metadata.ROOT].Threshold = c.Threshold
	}
	if c.Revoke != "" {
		more, err := revoke(folder, root, c.Revoke)
		if err != nil {
			return err
		}
		gone = append(gone, more...)
	}
	root.Signed.Version++
	root.Signed.Expires = now.Add(rootLasts).UTC().Truncate(time.Second)
	signers := append(slices.Clone(keys), c.AddRoot...)
	if err := saveRootAfter(folder, before, root, signers); err != nil {
		return err
	}
	for _, id := range gone {
		old, _ := filepath.Glob(filepath.Join(folder, "*-"+id[:8]+".key"))
		for _, f := range old {
			_ = os.Remove(f)
		}
	}
	return nil
}

// saveRootAfter checks that enough keys of the root before sign the next one too.
func saveRootAfter(folder string, before, root *metadata.Metadata[metadata.RootType], keys []*Key) error {
	role := before.Signed.Roles[metadata.ROOT]
	n := 0
	for _, k := range keys {
		if slices.Contains(role.KeyIDs, k.id) {
			n++
		}
	}
	if n < role.Threshold {
		return fmt.Errorf(
			"sign the root: %d of the present root keys have to sign, and %d of them are given: name more with --root",
			role.Threshold, n,
		)
	}
	return saveRoot(folder, root, keys)
}

func replaceOnline(folder string, root *metadata.Metadata[metadata.RootType], role string, ids []string) ([]string, error) {
	ids = slices.Clone(ids)
	if err := addOnline(folder, root, role); err != nil {
		return nil, err
	}
	for _, id := range ids {
		if err := root.Signed.RevokeKey(id, role); err != nil {
			return nil, fmt.Errorf("rotate: %w", err)
		}
	}
	return ids, nil
}

// ErrNoKey says that no key has an id.
var ErrNoKey = errors.New("no key of the newest root has that id; endroit keys list shows them")

func revoke(folder string, root *metadata.Metadata[metadata.RootType], prefix string) (gone []string, err error) {
	id := ""
	for k := range root.Signed.Keys {
		if len(prefix) >= 8 && len(k) >= len(prefix) && k[:len(prefix)] == prefix {
			id = k
		}
	}
	if id == "" {
		return nil, fmt.Errorf("revoke %.80q: %w", prefix, ErrNoKey)
	}
	for _, role := range Roles {
		r := root.Signed.Roles[role]
		if !slices.Contains(r.KeyIDs, id) {
			continue
		}
		if role == metadata.ROOT {
			if len(r.KeyIDs)-1 < r.Threshold {
				return nil, fmt.Errorf(
					"revoke %s: %d root keys have to be left, and there would be %d: add one first", id[:8], r.Threshold, len(r.KeyIDs)-1,
				)
			}
			if err := root.Signed.RevokeKey(id, role); err != nil {
				return nil, fmt.Errorf("revoke: %w", err)
			}
			continue
		}
		more, err := replaceOnline(folder, root, role, []string{id})
		if err != nil {
			return nil, err
		}
		gone = append(gone, more...)
	}
	return gone, nil
}

// KeyListed is a key as the newest root has it.
type KeyListed struct {
	ID    string   `json:"id"`
	Roles []string `json:"roles"`
	Here  bool     `json:"here"` // whether its private part lies in the folder
}

// Listed is what a publication's folder has.
type Listed struct {
	published.Publisher
	Fingerprint string      `json:"fingerprint"` // of the first root: SHA-256
	Version     int64       `json:"version"`     // of the newest root
	Expires     time.Time   `json:"expires"`
	Threshold   int         `json:"threshold"`
	Keys        []KeyListed `json:"keys"`
	Missing     []string    `json:"missing"` // online roles that cannot be signed for
}

// List reads what a publication's folder has.
func List(folder string) (*Listed, error) {
	roots, err := Roots(folder)
	if err != nil {
		return nil, err
	}
	root, err := newest(folder)
	if err != nil {
		return nil, err
	}
	out := &Listed{
		Publisher: published.PublisherOf(root), Fingerprint: Fingerprint(roots[0]), Version: root.Signed.Version,
		Expires: root.Signed.Expires, Threshold: root.Signed.Roles[metadata.ROOT].Threshold, Missing: []string{},
	}
	for id := range root.Signed.Keys {
		k := KeyListed{ID: id}
		for _, role := range Roles {
			if slices.Contains(root.Signed.Roles[role].KeyIDs, id) {
				k.Roles = append(k.Roles, role)
			}
		}
		here, _ := filepath.Glob(filepath.Join(folder, "*-"+id[:8]+".key"))
		k.Here = len(here) > 0
		out.Keys = append(out.Keys, k)
	}
	slices.SortFunc(out.Keys, func(a, b KeyListed) int {
		if n := slices.Index(Roles, a.Roles[0]) - slices.Index(Roles, b.Roles[0]); n != 0 {
			return n
		}
		return slices.Compare([]byte(a.ID), []byte(b.ID))
	})
	for _, role := range OnlineRoles {
		if !slices.ContainsFunc(out.Keys, func(k KeyListed) bool { return k.Here && slices.Contains(k.Roles, role) }) {
			out.Missing = append(out.Missing, role)
		}
	}
	return out, nil
}

// Fingerprint is the SHA-256 of the first root's file, by which people recognise a
// publication.
func Fingerprint(root []byte) string {
	sum := sha256.Sum256(root)
	return hex.EncodeToString(sum[:])
}
