package safefile

import (
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/dustin/go-humanize"
)

// MaxSteady is the largest file that ReadSteady reads, in bytes.
const MaxSteady = 64 << 20

// ErrInput says that a file exists and is not what it has to be.
var ErrInput = errors.New("the file cannot be used")

// inputError is an ErrInput with words of its own.
type inputError struct{ text string }

func (e *inputError) Error() string        { return e.text }
func (e *inputError) Is(target error) bool { return target == ErrInput }

// InputErrorf makes an error that is an ErrInput and reads as it is formatted.
func InputErrorf(format string, args ...any) error { return &inputError{fmt.Sprintf(format, args...)} }

// ReadSteady reads an open file of at most MaxSteady bytes, with the time of its last
// change; path is what it is called in errors. It is an ErrInput if the file is not a
// regular one, is larger, or changes while it is read.
func ReadSteady(f *os.File, path string) (data []byte, changed time.Time, err error) {
	before, err := f.Stat()
	switch {
	case err != nil:
		return nil, changed, err
	case before.IsDir():
		return nil, changed, InputErrorf("%s is a folder", path)
	case !before.Mode().IsRegular():
		return nil, changed, InputErrorf("%s is not a regular file", path)
	case before.Size() > MaxSteady:
		return nil, changed, InputErrorf(
			"%s has %s; files of up to %s are read", path, humanize.Bytes(uint64(before.Size())),
			humanize.IBytes(MaxSteady),
		)
	}
	if data, err = io.ReadAll(io.LimitReader(f, MaxSteady+1)); err != nil {
		return nil, changed, err
	}
	after, err := f.Stat()
	if err != nil || after.Size() != before.Size() || !after.ModTime().Equal(before.ModTime()) ||
		int64(len(data)) != before.Size() {
		return nil, changed, InputErrorf(
			"%s is being written; end the program that writes it, or use a version kept beside its trace",
			path,
		)
	}
	return data, before.ModTime(), nil
}
