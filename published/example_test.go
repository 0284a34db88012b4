package published_test

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/publication"
	"endroit/published"
)

// tree publishes a title into a folder, as endroit publish --to does.
func tree(folder string) error {
	k, err := publication.NewKey()
	if err != nil {
		return err
	}
	keys, now := filepath.Join(folder, "keys"), time.Now()
	if err := publication.Make(keys, publication.Plan{Name: "The Harrow Lane record", Root: []*publication.Key{k}, Threshold: 1}, now); err != nil {
		return err
	}
	signer, err := publication.Open(keys)
	if err != nil {
		return err
	}
	doc, err := manifest.Canonical(manifest.Title{ID: "6f1d2c3b4a596877", Name: "Tidewrack", Variants: []manifest.Variant{{
		Store: "quayside", Ref: "4410", OS: "linux", Runtime: "native",
		Locations: []manifest.Location{
			{At: "xdg-data:tidewrack/slots/{slot}.sav", Holds: "saves", Standing: "confirmed", Reason: "2 people saw it on 2 machines"},
			{At: "xdg-data:tidewrack/cache/*.sav", Holds: "saves", Standing: "withdrawn", Reason: "the game creates these files again at each start"},
		},
	}}})
	if err != nil {
		return err
	}
	_, shard, err := manifest.WriteShard(manifest.AllTitles, [][]byte{doc})
	if err != nil {
		return err
	}
	name := published.ShardName(manifest.AllTitles)
	files := map[string]published.File{name: published.FileOf(shard)}
	signed, err := signer.Revision(published.Head{Format: manifest.Format, Revision: 1, Published: now, Titles: 1}, files, now)
	if err != nil {
		return err
	}
	stamp, _, err := signer.Timestamp(1, 1, signed.Snapshot, now)
	if err != nil {
		return err
	}
	all := map[string][]byte{
		published.FilePath(name, files[name]): shard,
		published.TargetsPath(1):              signed.Targets,
		published.SnapshotPath(1):             signed.Snapshot,
		published.TimestampPath:               stamp,
	}
	for path, data := range signer.Roots() {
		all[path] = data
	}
	for path, data := range all {
		at := filepath.Join(folder, "published", path)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(at, data, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// A program trusts a publication once, and from then on reads what is new. A folder, a zip
// archive and a web address are all the same to it.
func Example() {
	folder, err := os.MkdirTemp("", "endroit-example-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(folder)
	if err := tree(folder); err != nil {
		log.Fatal(err)
	}

	ctx := context.Background()
	source, closer, err := published.At(filepath.Join(folder, "published"))
	if err != nil {
		log.Fatal(err)
	}
	defer closer.Close()

	// First trust: show the person whose it is, and the fingerprint.
	root, err := published.FirstRoot(ctx, source)
	if err != nil {
		log.Fatal(err)
	}
	fmt.Printf("%s, with a fingerprint of %d digits\n", root.Name, len(root.Fingerprint))
	state := published.Open(filepath.Join(folder, "trust"))
	if err := state.Trust(root); err != nil {
		log.Fatal(err)
	}

	// Verify. What is wrong is a *published.Refusal, which says it in plain words.
	news, err := state.Refresh(ctx, source)
	if err != nil {
		log.Fatal(err)
	}

	// Read.
	for name := range news.Files {
		shard := published.ShardIn(name)
		if shard == "" {
			continue
		}
		data, err := news.Get(ctx, name)
		if err != nil {
			log.Fatal(err)
		}
		s, err := manifest.ReadShard(shard, data)
		if err != nil {
			log.Fatal(err)
		}
		for _, t := range s.Titles {
			for _, v := range t.Variants {
				for _, l := range v.Locations {
					if !l.Usable() {
						fmt.Printf("%s is %s: leave it alone\n", l.At, l.Standing)
						continue
					}
					// Match a path below the anchor.
					at, err := place.Parse(l.At)
					if err != nil {
						log.Fatal(err)
					}
					captures, ok := at.Match([]string{"tidewrack", "slots", "harbour.sav"}, nil)
					fmt.Printf("%s, %s: %v, slot %q\n", l.At, l.Holds, ok, captures["slot"])
				}
			}
		}
	}
	// Output:
	// The Harrow Lane record, with a fingerprint of 64 digits
	// xdg-data:tidewrack/slots/{slot}.sav, saves: true, slot "harbour"
	// xdg-data:tidewrack/cache/*.sav is withdrawn: leave it alone
}
