package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
)

// manifestFiles are the local copy and the digest that it has to have.
func manifestFiles() (body, digest string, err error) {
	dir := os.Getenv("XDG_DATA_HOME")
	if !filepath.IsAbs(dir) {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", "", err
		}
		dir = filepath.Join(home, ".local", "share")
	}
	dir = filepath.Join(dir, "endroit")
	return filepath.Join(dir, "manifest.json"), filepath.Join(dir, "manifest.sha256"), nil
}

// localManifest reads the local copy and checks it against its digest.
func localManifest() (*manifest.Manifest, error) {
	file, digestFile, err := manifestFiles()
	if err != nil {
		return nil, err
	}
	data, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return nil, fail(exitNotFound, "there is no manifest on this machine yet; get it with endroit fetch")
	}
	if err != nil {
		return nil, err
	}
	want, err := os.ReadFile(digestFile)
	if err != nil || strings.TrimSpace(string(want)) != manifest.Digest(data) {
		return nil, fail(exitInput, "the manifest in %s was cut or altered (it does not have its digest); get it anew with endroit fetch", file)
	}
	m, err := manifest.Parse(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w; get it anew with endroit fetch", file, err)
	}
	return m, nil
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
			file, digestFile, err := manifestFiles()
			if err != nil {
				return err
			}
			known := ""
			old, oldErr := localManifest()
			if oldErr == nil {
				data, err := os.ReadFile(digestFile)
				if err != nil {
					return err
				}
				known = strings.TrimSpace(string(data))
			}
			body, digest, err := cl.Manifest(ctx, known, manifest.MaxBytes)
			if err != nil {
				return fmt.Errorf("fetch: %w", err)
			}
			m := old
			if body != nil {
				if got := manifest.Digest(body); got != digest {
					return fail(exitInput, "what came is not what the service announced (SHA-256 %s, not %s); nothing was changed, try again", got, digest)
				}
				if m, err = manifest.Parse(body); err != nil {
					return fmt.Errorf("fetch: %w; nothing was changed", err)
				}
				if old != nil && m.Revision < old.Revision {
					return fail(exitConflict, "%s has revision %d, and the local copy is at %d already; is it another service? Remove %s to start over", l.Service, m.Revision, old.Revision, file)
				}
				// The digest goes first: whatever is interrupted is noticed.
				if err := writePrivately(digestFile, []byte(digest+"\n")); err != nil {
					return err
				}
				if err := writePrivately(file, body); err != nil {
					return err
				}
			}
			if c.Bool("json") {
				return a.json(map[string]any{"revision": m.Revision, "titles": len(m.Titles), "published": m.Published, "changed": body != nil, "file": file})
			}
			if body == nil {
				a.say("up to date: revision %d with %s", m.Revision, count(len(m.Titles), "title", "titles"))
				return nil
			}
			a.say("fetched revision %d with %s (%s), published %s", m.Revision, count(len(m.Titles), "title", "titles"), bytesInTerms(int64(len(body))), m.Published.Local().Format("2006-01-02 15:04"))
			return nil
		},
	}, reuse, "endroit fetch")
}
