package capture

import "os"

// OpenQuietly opens a file.
func OpenQuietly(path string) (*os.File, error) { return os.Open(path) }
