package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
	"endroit/kept"
)

// dataFolder is where this program keeps what belongs to the person.
func dataFolder() (string, error) {
	dir, err := os.Getenv("XDG_DATA_HOME"), error(nil)
	switch {
	case filepath.IsAbs(dir):
	case runtime.GOOS == "windows":
		dir, err = os.UserCacheDir() // %LocalAppData%
	case runtime.GOOS == "darwin":
		dir, err = os.UserConfigDir() // Application Support
	default:
		dir, err = os.UserHomeDir()
		dir = filepath.Join(dir, ".local", "share")
	}
	return filepath.Join(dir, "endroit"), err
}

// manifestFolder holds the local copy of the manifest.
func manifestFolder() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "manifest"), err
}

func (a *app) fetch() *cli.Command {
	return command(&cli.Command{
		Name: "fetch", Usage: "bring the local copy of the manifest up to date",
		Flags: []cli.Flag{serviceFlag(), jsonFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			l, err := savedLogin(c)
			if err != nil {
				return err
			}
			l.Token = "" // the manifest is for everybody
			cl, err := l.client()
			if err != nil {
				return err
			}
			folder, err := manifestFolder()
			if err != nil {
				return err
			}
			old, known, oldErr := kept.Read(folder)
			if oldErr != nil {
				old, known = nil, "" // missing or damaged: fetched whole
			}
			body, digest, err := cl.Manifest(ctx, known, manifest.MaxBytes)
			if err != nil {
				return fmt.Errorf("fetch: %w", err)
			}
			m := old
			if body != nil {
				if got := manifest.Digest(body); got != digest {
					return fail(exitInput, "what came is not what the service announced (SHA-256 %s, not %.70q); nothing was changed, try again", got, digest)
				}
				if m, err = manifest.Parse(body); err != nil {
					return fmt.Errorf("fetch: %w; nothing was changed", err)
				}
				if old != nil && m.Revision <= old.Revision {
					return fail(exitConflict, "%s has another revision %d, and the local copy is at %d already; is it another service? Remove %s to start over", l.Service, m.Revision, old.Revision, folder)
				}
				if err := kept.Keep(folder, body, m, digest); err != nil {
					return err
				}
			}
			if c.Bool("json") {
				return a.json(map[string]any{"revision": m.Revision, "titles": len(m.Titles), "sheets": len(m.Sheets), "published": m.Published, "changed": body != nil, "digest": digest})
			}
			if body == nil {
				a.say("up to date: revision %d with %s and %s", m.Revision, count(len(m.Titles), "title", "titles"), count(len(m.Sheets), "launcher's sheet", "launchers' sheets"))
				return nil
			}
			a.say("fetched revision %d with %s and %s (%s), published %s", m.Revision, count(len(m.Titles), "title", "titles"), count(len(m.Sheets), "launcher's sheet", "launchers' sheets"), bytesInTerms(int64(len(body))), m.Published.Local().Format("2006-01-02 15:04"))
			return nil
		},
	}, reuse, "endroit fetch")
}
