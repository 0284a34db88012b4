//go:build linux

package main

import (
	"bytes"
	"compress/flate"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math/rand/v2"
)

// A second copy shares whole files that are the same. Whether it should share parts of files
// too depends on how games write: these are three ways, each with one record in a hundred
// changed between two saves.
const (
	partSave   = 10_000_000 // bytes
	partRecord = 256        // bytes of each record
	partOne    = 100        // one record in so many changes
)

// partsOf measures how much of a save a copy in parts would store of the second version.
func partsOf() error {
	first := recordsOf()
	scattered, together, grown := bytes.Clone(first), bytes.Clone(first), bytes.Clone(first)
	records := len(first) / partRecord
	for i := range records / partOne {
		copy(scattered[rand.IntN(records)*partRecord:], randomBytes(partRecord))
		copy(together[(records/2+i)*partRecord:], randomBytes(partRecord))
		grown = append(grown, randomBytes(partRecord)...)
	}
	packedFirst, err := deflated(first)
	if err != nil {
		return err
	}
	packed, err := deflated(scattered)
	if err != nil {
		return err
	}
	fmt.Printf("\nWhat a copy in parts would store of a save of %d MB of which 1 %% changed\n\n", partSave/1_000_000)
	fmt.Printf("%-46s %10s %10s %10s\n", "", "whole", "64 KiB", "4 KiB")
	for _, x := range []struct {
		name    string
		was, is []byte
	}{
		{"records in place, changed here and there", first, scattered},
		{"records in place, changed together", first, together},
		{"records appended", first, grown},
		{"the first, compressed as a whole (deflate)", packedFirst, packed},
	} {
		fmt.Printf("%-46s %9.0f%% %9.1f%% %9.1f%%\n", x.name, 100.0, storedInParts(x.was, x.is, 64<<10), storedInParts(x.was, x.is, 4<<10))
	}
	return nil
}

// storedInParts is how much of the second version is in parts that the first does not have,
// in percent.
func storedInParts(was, is []byte, size int) float64 {
	had := map[[sha256.Size]byte]bool{}
	for part := range parts(was, size) {
		had[sha256.Sum256(part)] = true
	}
	stored := 0
	for part := range parts(is, size) {
		if !had[sha256.Sum256(part)] {
			stored += len(part)
		}
	}
	return 100 * float64(stored) / float64(len(is))
}

func parts(data []byte, size int) func(yield func([]byte) bool) {
	return func(yield func([]byte) bool) {
		for at := 0; at < len(data) && yield(data[at:min(at+size, len(data))]); at += size {
		}
	}
}

// recordsOf makes records that compress as saves do: half of each is repeated.
func recordsOf() []byte {
	out := make([]byte, 0, partSave)
	for i := 0; len(out)+partRecord <= partSave; i++ {
		out = append(out, randomBytes(partRecord/2)...)
		out = binary.LittleEndian.AppendUint64(out, uint64(i))
		out = append(out, make([]byte, partRecord/2-8)...)
	}
	return out
}

func randomBytes(n int) []byte {
	out := make([]byte, n)
	for i := range out {
		out[i] = byte(rand.IntN(256))
	}
	return out
}

func deflated(data []byte) ([]byte, error) {
	var out bytes.Buffer
	w, err := flate.NewWriter(&out, flate.DefaultCompression)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(data); err != nil {
		return nil, err
	}
	return out.Bytes(), w.Close()
}
