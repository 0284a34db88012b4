package capture

import (
	"io"
	"os"
)

// OpenQuietly opens a file.
func OpenQuietly(path string) (*os.File, error) { return os.Open(path) }

func readQuietly(path string) (io.ReadCloser, error) { return OpenQuietly(path) }
