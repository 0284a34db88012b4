//go:build !windows

package disk

import "os"

// Rename gives a file another name in its folder, in the place of what has it.
func Rename(root *os.Root, from, to string) error { return root.Rename(from, to) }

// Remove removes a file, or an empty folder.
func Remove(root *os.Root, name string) error { return root.Remove(name) }

// RemoveAll removes a folder with all that is in it.
func RemoveAll(path string) error { return os.RemoveAll(path) }
