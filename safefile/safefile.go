// Package safefile writes files whole or not at all: a crash leaves the old one or the new
// one. What it reads is whole too, and bounded.
//
//	err := safefile.Write("tidewrack.draft.yaml", text)
//	text, err := safefile.Read("tidewrack.draft.yaml", draft.MaxBytes)
package safefile

import (
	"fmt"
	"io"
	"os"
)

// Write replaces a file, or creates it, readable by this person alone. Its content, and on
// Unix the entry in its folder, are on disk when it returns.
func Write(name string, data []byte) error {
	if err := replace(name, data); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	return nil
}

// ErrLarge says that a file is larger than what it should be ever is.
type ErrLarge struct {
	Name string
	Max  int64
}

func (e *ErrLarge) Error() string {
	return fmt.Sprintf(
		"%s is larger than %d bytes, which is the most that is read of such a file; is it the right one?",
		e.Name, e.Max,
	)
}

// Read reads a file with a limit in bytes, to memory. A larger one is an *ErrLarge, and
// only so many bytes of it were read.
func Read(name string, most int64) ([]byte, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err != nil {
		return nil, err
	}
	if int64(len(data)) > most {
		return nil, &ErrLarge{name, most}
	}
	return data, nil
}
