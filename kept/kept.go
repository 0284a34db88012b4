// Package kept is the manifest as it is kept on this machine: a revision in a file
// named after its digest, and an index of it, so that looking a title up does not
// read all.
//
//	k, err := kept.Open(folder, nil)
//	t, close, err := k.Find("tidewrack")
package kept

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"endroit/core/late"
	"endroit/core/manifest"
	"endroit/whole"
)

// currentFile holds the digest of the revision that counts, so that an
// interrupted fetch leaves the one before.
const currentFile = "current"

// Errors that callers decide on.
var (
	ErrNone    = errors.New("there is no manifest on this machine yet; get it with endroit fetch")
	ErrDamaged = errors.New("get the manifest again with endroit fetch")
)

var digestShape = late.Regexp(`^[0-9a-f]{64}$`)

// digest reads which revision counts.
func digest(folder string) (string, error) {
	text, err := whole.Read(filepath.Join(folder, currentFile), 1<<10)
	if errors.Is(err, os.ErrNotExist) {
		return "", ErrNone
	}
	if err != nil {
		return "", err
	}
	d := strings.TrimSpace(string(text))
	if !digestShape().MatchString(d) {
		return "", fmt.Errorf("%s holds no digest; %w", filepath.Join(folder, currentFile), ErrDamaged)
	}
	return d, nil
}

// Read reads the whole revision and checks it against its digest.
func Read(folder string) (m *manifest.Manifest, d string, err error) {
	d, err = digest(folder)
	if err != nil {
		return nil, "", err
	}
	file := filepath.Join(folder, d+".json")
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, "", fmt.Errorf("the local manifest is gone (%w); %w", err, ErrDamaged)
	}
	if manifest.Digest(data) != d {
		return nil, "", fmt.Errorf("the manifest in %s was cut or altered (it does not have its digest); %w", file, ErrDamaged)
	}
	if m, err = manifest.Parse(data); err != nil {
		return nil, "", fmt.Errorf("%s: %w; %w", file, err, ErrDamaged)
	}
	return m, d, nil
}

// Keep makes a revision the local one, with its index, and removes older ones.
func Keep(folder string, body []byte, m *manifest.Manifest, d string) error {
	err := os.MkdirAll(folder, 0o700)
	if err == nil {
		err = whole.Write(filepath.Join(folder, d+".json"), body)
	}
	if err == nil {
		err = whole.Write(filepath.Join(folder, currentFile), []byte(d+"\n"))
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
	return build(folder, m, d)
}
