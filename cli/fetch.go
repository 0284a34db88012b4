package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
)

// manifestFolder holds the local copy: each revision in a file named after its
// digest, and in the file current the digest of the one that counts, so that an
// interrupted fetch leaves the one before.
func manifestFolder() (string, error) {
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
	return filepath.Join(dir, "endroit", "manifest"), err
}

const currentFile = "current"

// localManifest reads the local copy and checks it against its digest.
func localManifest() (m *manifest.Manifest, digest string, err error) {
	dir, err := manifestFolder()
	if err != nil {
		return nil, "", err
	}
	current, err := os.ReadFile(filepath.Join(dir, currentFile))
	if errors.Is(err, os.ErrNotExist) {
		return nil, "", fail(exitNotFound, "there is no manifest on this machine yet; get it with endroit fetch")
	}
	if err != nil {
		return nil, "", err
	}
	digest = strings.TrimSpace(string(current))
	if !digestShape.MatchString(digest) {
		return nil, "", fail(exitInput, "%s holds no digest; get the manifest anew with endroit fetch", filepath.Join(dir, currentFile))
	}
	file := filepath.Join(dir, digest+".json")
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, "", fail(exitInput, "the local manifest is gone (%v); get it anew with endroit fetch", err)
	}
	if manifest.Digest(data) != digest {
		return nil, "", fail(exitInput, "the manifest in %s was cut or altered (it does not have its digest); get it anew with endroit fetch", file)
	}
	if m, err = manifest.Parse(data); err != nil {
		return nil, "", fmt.Errorf("%s: %w; get it anew with endroit fetch", file, err)
	}
	return m, digest, nil
}

var digestShape = regexp.MustCompile(`^[0-9a-f]{64}$`)

// keepManifest makes a revision the local copy and removes older ones.
func keepManifest(body []byte, digest string) (file string, err error) {
	dir, err := manifestFolder()
	if err != nil {
		return "", err
	}
	file = filepath.Join(dir, digest+".json")
	if err := writePrivately(file, body); err != nil {
		return "", fmt.Errorf("keep the manifest: %w", err)
	}
	if err := writePrivately(filepath.Join(dir, currentFile), []byte(digest+"\n")); err != nil {
		return "", fmt.Errorf("keep the manifest: %w", err)
	}
	old, _ := filepath.Glob(filepath.Join(dir, "*.json"))
	for _, o := range old {
		if o != file {
			_ = os.Remove(o)
		}
	}
	return file, nil
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
			old, known, oldErr := localManifest()
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
					dir, _ := manifestFolder()
					return fail(exitConflict, "%s has another revision %d, and the local copy is at %d already; is it another service? Remove %s to start over", l.Service, m.Revision, old.Revision, dir)
				}
				if _, err := keepManifest(body, digest); err != nil {
					return err
				}
			}
			if c.Bool("json") {
				return a.json(map[string]any{"revision": m.Revision, "titles": len(m.Titles), "published": m.Published, "changed": body != nil, "digest": digest})
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
