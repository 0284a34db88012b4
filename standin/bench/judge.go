//go:build linux

package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"time"

	"endroit/core/content"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// What judging should stay below, or come to.
const (
	judgedEvents = 10_000_000
	eventsLimit  = 2_000_000 // a second, on one core
	sumsLimit    = 3.0
)

// judge measures the footprint of a long trace on one core, and the search for checksums
// and differences in large files.
func judge() error {
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	name := filepath.Join(folder, "long.trace")
	if err := longTrace(name); err != nil {
		return err
	}
	file, err := os.Open(name)
	if err != nil {
		return err
	}
	defer file.Close()
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	debug.FreeOSMemory()
	start := time.Now()
	r, err := trace.NewReader(file, trace.DefaultLimits)
	if err != nil {
		return err
	}
	fp, err := footprint.FromTrace(r)
	if err != nil {
		return err
	}
	took := time.Since(start)
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	fmt.Printf(
		"\nfootprint of %d events on %d files, one core: %s, %.1f million events a second (at least %.0f), %d MB of memory hold it\n",
		fp.Events, stormFiles, took.Round(time.Millisecond), float64(fp.Events)/took.Seconds()/1e6,
		eventsLimit/1e6, m.HeapAlloc>>20,
	)

	random := rand.New(rand.NewPCG(1, 2))
	data := make([]byte, 64<<20)
	for i := range data {
		data[i] = byte(random.Uint32())
	}
	mega := data[:1<<20]
	var once, search []time.Duration
	for range 5 {
		start := time.Now()
		content.EverySum(mega)
		once = append(once, time.Since(start))
		start = time.Now()
		content.FindSums(mega, content.SumOptions{})
		search = append(search, time.Since(start))
	}
	fmt.Printf(
		"checksums searched in 1 MB: %s, %.2f times a pass of each algorithm, %s (limit %.0f)\n",
		median(search).Round(time.Millisecond), float64(median(search))/float64(median(once)),
		median(once).Round(time.Millisecond), sumsLimit,
	)
	other := append(append([]byte{}, data[:1<<20]...), "inserted"...)
	other = append(other, data[1<<20:]...)
	other[40<<20] ^= 1
	start = time.Now()
	list := content.Compare(data, other)
	fmt.Printf("two files of 64 MB compared, %d places differ: %s\n", len(list), time.Since(start).Round(time.Millisecond))
	return nil
}

// longTrace writes a trace of many events on a thousand files.
func longTrace(name string) error {
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	defer file.Close()
	w, err := trace.NewWriter(file, trace.Header{OS: "linux", Runtime: "native", Env: map[string]string{"HOME": "/home/mira"}})
	if err != nil {
		return err
	}
	if err := w.Process(&trace.Process{PID: 1, Exe: "/opt/tidewrack/tidewrack"}); err != nil {
		return err
	}
	for i := range stormFiles {
		if err := w.File(&trace.File{
			Path:   fmt.Sprintf("/home/mira/.local/share/tidewrack/f%d.dat", i),
			Before: trace.State{Is: trace.IsFile, Size: 9},
		}); err != nil {
			return err
		}
	}
	for i := range judgedEvents {
		e := trace.Event{At: time.Duration(i) * 12 * time.Microsecond, Process: 1, Op: trace.Read, File: 1 + i%stormFiles}
		if i%7 == 0 {
			e.Op = trace.Update
		}
		if err := w.Event(e); err != nil {
			return err
		}
	}
	_, err = w.Close(time.Duration(judgedEvents) * 12 * time.Microsecond)
	return err
}
