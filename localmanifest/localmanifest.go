// Package localmanifest is the manifest as it is kept on this machine: a revision in a file
// named after its digest, and an index of it, so that looking a title up does not
// read all.
//
//	k, err := localmanifest.Open(folder, nil)
//	t, near, err := k.Find("tidewrack")
package localmanifest

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"

	"endroit/core/manifest"
	"endroit/safefile"
)

// currentFile holds the digest of the revision that counts, so that an
// interrupted fetch leaves the one before.
const currentFile = "current"

// Errors that callers decide on.
var (
	ErrNone    = errors.New("there is no manifest on this machine yet; get it with endroit fetch")
	ErrDamaged = errors.New("get the manifest again with endroit fetch")
)

var digestShape = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[0-9a-f]{64}$`)
})

// digest reads which revision counts.
func digest(folder string) (string, error) {
	text, err := safefile.Read(filepath.Join(folder, currentFile), 1<<10)
	if errors.Is(err, os.ErrNotExist) {
		return "", ErrNone
	}
	if err != nil {
		return "", err
	}
	d := strings.TrimSpace(string(text))
	if !digestShape().MatchString(d) {
		return "", fmt.Errorf("%s contains no digest; %w", filepath.Join(folder, currentFile), ErrDamaged)
	}
	return d, nil
}

// Sound gives the digest of the local revision, after reading its file through: it is as
// it was when it was fetched.
func Sound(ctx context.Context, folder string) (string, error) {
	d, err := digest(folder)
	if err != nil {
		return "", err
	}
	file := filepath.Join(folder, d+".json")
	f, err := os.Open(file)
	if err != nil {
		return "", fmt.Errorf("the local manifest does not exist (%w); %w", err, ErrDamaged)
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, reader{ctx, f}); err != nil {
		return "", fmt.Errorf("read the local manifest: %w", err)
	}
	if hex.EncodeToString(sum.Sum(nil)) != d {
		return "", fmt.Errorf("the manifest in %s was truncated or modified (its digest differs); %w", file, ErrDamaged)
	}
	return d, nil
}

// ErrDigest says that what came is not what was announced.
var ErrDigest = errors.New("the download does not have the digest that the service announced")

// Keep makes a revision the local one, with its index, and removes older ones. It is
// written and indexed as it comes, and counts once all of it is there, has its digest and
// is taken by accept, which gets its head and may be nil. Otherwise nothing is changed.
func Keep(ctx context.Context, folder string, body io.Reader, d string, accept func(manifest.Head) error) error {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return fmt.Errorf("keep the manifest: %w", err)
	}
	f, err := os.CreateTemp(folder, ".new-*.json")
	if err != nil {
		return fmt.Errorf("keep the manifest: %w", err)
	}
	defer os.Remove(f.Name()) // gone already where all went well
	sum := sha256.New()
	_, err = io.Copy(io.MultiWriter(f, sum), reader{ctx, body})
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	if got := hex.EncodeToString(sum.Sum(nil)); got != d {
		return fmt.Errorf("%w (SHA-256 %s, not %.70q)", ErrDigest, got, d)
	}
	index, err := build(ctx, folder, f.Name(), d, accept)
	if err != nil {
		return err
	}
	defer os.Remove(index)
	if err = os.Rename(f.Name(), filepath.Join(folder, d+".json")); err == nil {
		err = os.Rename(index, indexFile(folder, d))
	}
	if err == nil {
		err = safefile.Write(filepath.Join(folder, currentFile), []byte(d+"\n"))
	}
	if err != nil {
		return fmt.Errorf("keep the manifest: %w", err)
	}
	for _, kind := range []string{"*.json", "*.index"} {
		old, _ := filepath.Glob(filepath.Join(folder, kind))
		for _, o := range old {
			if !strings.HasPrefix(filepath.Base(o), d+".") {
				_ = os.Remove(o)
			}
		}
	}
	return nil
}
