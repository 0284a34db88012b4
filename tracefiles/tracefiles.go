// Package tracefiles reads traces on this machine, each with what lies beside it: what people
// said of its files, and versions of their content.
//
//	fp, digest, err := tracefiles.Read("tidewrack.trace", footprint.Filter{})
package tracefiles

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"github.com/dustin/go-humanize"

	"endroit/core/footprint"
	"endroit/core/trace"
	"endroit/core/words"
	"endroit/safefile"
)

// ErrInput says that a file exists and is not what it has to be.
var ErrInput = safefile.ErrInput

func inputErrorf(format string, args ...any) error { return safefile.InputErrorf(format, args...) }

// maxTrace is the largest trace that is read, in bytes on disk.
const maxTrace = 2 << 30

// Open opens a trace's file.
func Open(name string) (*os.File, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	switch {
	case err != nil:
	case info.IsDir():
		err = inputErrorf("%s is a folder, not a trace", name)
	case info.Size() > maxTrace:
		err = inputErrorf(
			"%s has %s; traces of up to %s are read", name, humanize.Bytes(uint64(info.Size())),
			humanize.IBytes(maxTrace),
		)
	}
	if err != nil {
		_ = f.Close()
		return nil, err
	}
	return f, nil
}

// Read boils a trace down, with the corrections beside it, and returns the SHA-256 of
// the file in hexadecimal.
func Read(name string, only footprint.Filter) (*footprint.Footprint, string, error) {
	f, err := Open(name)
	if err != nil {
		return nil, "", err
	}
	defer f.Close()
	said, err := Corrections(name)
	if err != nil {
		return nil, "", err
	}
	sum := sha256.New()
	r, err := trace.NewReader(io.TeeReader(f, sum), trace.DefaultLimits)
	if err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	fp, err := footprint.FromTraceOnly(r, only, said.Corrections...)
	switch {
	case errors.Is(err, footprint.ErrNoSuchFile), errors.Is(err, footprint.ErrNoSuchKind):
		return nil, "", inputErrorf("%s: %v; fix or remove it", correctionsFile(name), err)
	case err != nil:
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	if _, err := io.Copy(sum, f); err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	digest := hex.EncodeToString(sum.Sum(nil))
	if len(said.Corrections) > 0 && said.SHA256 != digest {
		return nil, "", inputErrorf(
			"%s does not belong to %s (its SHA-256 differs); remove it, and correct again",
			correctionsFile(name), name,
		)
	}
	return fp, digest, nil
}

// CorrectionsFormat is the name and version in a file of corrections.
const CorrectionsFormat = "endroit/corrections/1"

// Said is what people said of a trace's files.
type Said struct {
	Format      string                 `json:"format"`
	SHA256      string                 `json:"sha256"` // of the trace
	Corrections []footprint.Correction `json:"corrections"`
}

// The bounds of a file of corrections.
const (
	maxSaid        = 4 << 20
	maxCorrections = 1000
	maxBecause     = 500 // bytes
)

func correctionsFile(trace string) string { return trace + ".corrections.json" }

// Corrections reads what people said of a trace's files; nothing if nobody said a thing.
func Corrections(trace string) (said Said, err error) {
	file := correctionsFile(trace)
	f, err := os.Open(file)
	if errors.Is(err, os.ErrNotExist) {
		return said, nil
	}
	if err != nil {
		return said, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, maxSaid+1))
	switch {
	case err != nil:
		return said, err
	case len(data) > maxSaid:
		return said, inputErrorf("%s is larger than %d bytes", file, maxSaid)
	}
	if err := json.Unmarshal(data, &said); err != nil {
		return said, inputErrorf("%s is not a corrections file: %v", file, err)
	}
	if said.Format != CorrectionsFormat {
		return said, inputErrorf("%s: its format is %.40q and this program reads %s", file, said.Format, CorrectionsFormat)
	}
	if len(said.Corrections) > maxCorrections {
		return said, inputErrorf("%s has %d corrections; at most %d are read", file, len(said.Corrections), maxCorrections)
	}
	for i, c := range said.Corrections {
		if err := CheckWords(c.Because); err != nil {
			return said, inputErrorf("%s: correction %d: %v", file, i+1, err)
		}
	}
	return said, nil
}

// CheckWords says what keeps the reason for a correction from being shown.
func CheckWords(because string) error {
	if reason := words.Shown(because, maxBecause); reason != "" {
		return inputErrorf("the reason: %s", reason)
	}
	return nil
}

// Correct keeps a correction beside a trace, in place of an earlier one of the same
// file. It is an error if it does not apply to the trace.
func Correct(name string, c footprint.Correction) error {
	if err := CheckWords(c.Because); err != nil {
		return err
	}
	fp, digest, err := Read(name, footprint.Filter{})
	if err != nil {
		return err
	}
	if err := fp.Correct([]footprint.Correction{c}); err != nil {
		return err
	}
	return Keep(name, digest, fp.Corrections)
}

// Keep keeps the corrections that hold for a trace with a digest, in place of those
// that were kept.
func Keep(name, digest string, list []footprint.Correction) error {
	file := correctionsFile(name)
	if len(list) == 0 {
		if err := os.Remove(file); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		return nil
	}
	data, err := json.MarshalIndent(Said{CorrectionsFormat, digest, slices.Clone(list)}, "", "  ")
	if err != nil {
		return err
	}
	return safefile.Write(file, append(data, '\n'))
}

// RelativeTo writes a path as seen from the folder of another file.
func RelativeTo(file, path string) string {
	dir, err1 := filepath.Abs(filepath.Dir(file))
	abs, err2 := filepath.Abs(path)
	if err1 == nil && err2 == nil {
		if rel, err := filepath.Rel(dir, abs); err == nil {
			return rel
		}
	}
	return path
}
