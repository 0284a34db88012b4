// Package started knows what this process was started with, before Go's runtime and its
// package syscall change it: the signals that it ignores and its limit of open files. A
// program that is started in its stead gets both as they were.
//
// The signals are known if the program was linked to begin at _endroit_start. The limit is
// read as this package is initialised, which is before syscall raises it: of the packages
// whose imports are initialised the one comes next whose path sorts first (the Go
// specification, "Program initialization"). So this package imports nothing else.
package started
