package hive

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"slices"
)

// Change is a key that is not the same in two readings of one hive.
type Change struct {
	Path          string // as Key's
	Before, After *Key   // nil where the key is not there
	Set           []string
	Gone          []string // the names of values that were removed; the default value has an empty name
}

// Compare finds the keys that differ between two readings of a hive, by path. A key
// whose time alone differs is the same. Either may be nil, for a hive that was not
// there.
func Compare(before, after *Hive) (changes []Change) {
	if before == nil {
		before = New("", nil)
	}
	if after == nil {
		after = New("", nil)
	}
	for id, i := range after.byID {
		now := &after.Keys[i]
		was := before.Key(now.Path)
		_, there := before.byID[id]
		c := Change{Path: now.Path, After: now, Before: was}
		var old []Value
		if was != nil {
			old = was.Values
		}
		c.values(old, now.Values)
		if !there || len(c.Set)+len(c.Gone) > 0 {
			changes = append(changes, c)
		}
	}
	for id, i := range before.byID {
		if _, there := after.byID[id]; !there {
			c := Change{Path: before.Keys[i].Path, Before: &before.Keys[i]}
			c.values(before.Keys[i].Values, nil)
			changes = append(changes, c)
		}
	}
	slices.SortFunc(changes, func(a, b Change) int { return cmp.Compare(fold(a.Path), fold(b.Path)) })
	return changes
}

func (c *Change) values(before, after []Value) {
	if slices.EqualFunc(before, after, Value.equal) {
		return
	}
	was := map[string]Value{}
	for _, v := range before {
		was[fold(v.Name)] = v
	}
	for _, v := range after {
		id := fold(v.Name)
		if old, there := was[id]; !there || !old.equal(v) {
			c.Set = append(c.Set, v.Name)
		}
		delete(was, id)
	}
	for _, v := range before {
		if _, gone := was[fold(v.Name)]; gone {
			c.Gone = append(c.Gone, v.Name)
			delete(was, fold(v.Name))
		}
	}
}

func (v Value) equal(w Value) bool {
	return fold(v.Name) == fold(w.Name) && v.Kind == w.Kind && v.Text == w.Text && v.Number == w.Number &&
		bytes.Equal(v.Data, w.Data)
}

// Digest is the SHA-256 of the key's values in hexadecimal: of two keys with the same
// values, in any order, it is the same.
func (k *Key) Digest() string {
	values := slices.Clone(k.Values)
	slices.SortFunc(values, func(a, b Value) int { return cmp.Compare(fold(a.Name), fold(b.Name)) })
	sum := sha256.New()
	part := func(b []byte) { // each with its length, so that none runs into the next
		sum.Write(binary.BigEndian.AppendUint64(nil, uint64(len(b))))
		sum.Write(b)
	}
	for _, v := range values {
		part([]byte(fold(v.Name)))
		part(binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(v.Kind)), v.Number))
		part([]byte(v.Text))
		part(v.Data)
	}
	return hex.EncodeToString(sum.Sum(nil))
}
