package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"

	"github.com/urfave/cli/v3"

	"endroit/client"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/localmanifest"
	"endroit/safefile"
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

// sourceFile keeps the address of the service that the manifest came from.
func sourceFile() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "source.json"), err
}

type source struct {
	Service string `json:"service"`
}

// fetchedFrom is the service to fetch from: the one that is named, else the one that the
// local manifest came from, else the one signed in to. No token is sent: the manifest is
// for everybody.
func fetchedFrom(c *cli.Command) (login, error) {
	if s := c.String("service"); s != "" {
		return login{Service: s}, nil
	}
	file, err := sourceFile()
	if err != nil {
		return login{}, err
	}
	var from source
	if data, err := safefile.Read(file, ownFile); err == nil && json.Unmarshal(data, &from) == nil && from.Service != "" {
		return login{Service: from.Service}, nil
	}
	l, err := savedLogin(c)
	return login{Service: l.Service}, err
}

func rememberSource(service string) error {
	file, err := sourceFile()
	if err != nil {
		return err
	}
	data, err := json.Marshal(source{service})
	if err != nil {
		return err
	}
	return writeOwn(file, append(data, '\n'))
}

func (a *app) fetch() *cli.Command {
	return command(&cli.Command{
		Name: "fetch", Usage: "bring the local copy of the manifest up to date",
		Flags: []cli.Flag{serviceFlag(), jsonFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			l, err := fetchedFrom(c)
			if err != nil {
				return err
			}
			cl, err := l.client()
			if err != nil {
				return err
			}
			folder, err := manifestFolder()
			if err != nil {
				return err
			}
			old, known := localHead(ctx, folder)
			_, changed, err := cl.Manifest(ctx, known, manifest.MaxBytes, func(digest string, body io.Reader) error {
				return localmanifest.Keep(ctx, folder, body, digest, func(h manifest.Head) error {
					if known == "" || h.Revision > old.Revision {
						return nil
					}
					return fail(
						exitConflict,
						"%s has another revision %d, and the local copy is at %d already; is it another service? Remove %s to start over",
						l.Service, h.Revision, old.Revision, folder,
					)
				})
			})
			switch {
			case errors.Is(err, localmanifest.ErrDigest):
				return fail(exitInput, "%w; nothing was changed, try again", err)
			case errors.Is(err, manifest.ErrFormat), errors.Is(err, client.ErrUnfolds):
				return fail(exitInput, "fetch: %w; nothing was changed", err)
			case err != nil:
				return fmt.Errorf("fetch: %w", err)
			}
			if err := rememberSource(l.Service); err != nil {
				return err
			}
			m, err := localmanifest.Open(ctx, folder, nil)
			if err != nil {
				return err
			}
			defer m.Close()
			titles, sheets := phrase.Count(m.Titles, "title", "titles"), phrase.Count(
				m.SheetCount, "launcher's sheet", "launchers' sheets",
			)
			if c.Bool("json") {
				return a.json(map[string]any{
					"revision": m.Head.Revision, "titles": m.Titles, "sheets": m.SheetCount,
					"published": m.Head.Published, "changed": changed, "digest": m.Digest,
				})
			}
			if !changed {
				a.say("up to date: revision %d of %s with %s and %s", m.Head.Revision, l.Service, titles, sheets)
				return nil
			}
			a.say(
				"fetched revision %d from %s with %s and %s (%s), published %s", m.Head.Revision, l.Service,
				titles, sheets, phrase.Size(m.Size), m.Head.Published.Local().Format("2006-01-02 15:04"),
			)
			return nil
		},
	}, reuse, "fetch")
}

// localHead is the head of the local revision and its digest, empty where there is none or
// it is damaged: then all is fetched.
func localHead(ctx context.Context, folder string) (h manifest.Head, digest string) {
	digest, err := localmanifest.Sound(ctx, folder)
	if err != nil {
		return h, ""
	}
	k, err := localmanifest.Open(ctx, folder, nil)
	if err != nil {
		return h, ""
	}
	defer k.Close()
	return k.Head, digest
}
