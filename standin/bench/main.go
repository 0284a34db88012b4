//go:build linux

// Command bench measures as ratios in one run: what observing costs, to the same
// program untraced, in a storm of opens and in a session of the stand-in game; and
// what locating everything costs, to reading the folders of the answer.
//
//	bench -programs bin
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture/calls"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// The storm: how many opens, on how many different files.
const (
	stormOpens = 100_000
	stormFiles = 1_000
)

// What the ratios should stay below.
const (
	stormLimit   = 8.0
	threadsLimit = 10.0
	systemLimit  = 3.0
	gameLimit    = 1.02
	wineLimit    = 1.10
	memoryLimit  = 64 // MB, after manyEvents
	bytesLimit   = 6.0
)

func main() {
	if len(os.Args) == 6 && os.Args[1] == "storm" {
		threads, _ := strconv.Atoi(os.Args[3])
		opens, _ := strconv.Atoi(os.Args[4])
		storm(os.Args[2], threads, opens, os.Args[5])
		return
	}
	if len(os.Args) == 4 && os.Args[1] == "long" {
		if err := long(os.Args[2], os.Args[3]); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if len(os.Args) > 2 && (os.Args[1] == "folders" || os.Args[1] == "keep") {
		err := readFolders(os.Args[2])
		if os.Args[1] == "keep" {
			err = keepManifest(os.Args[2], os.Args[3])
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	programs := flag.String("programs", "bin", "the folder with the stand-in game")
	rounds := flag.Int("rounds", 5, "how often each is run; the median counts")
	only := flag.String(
		"only", "",
		"measure one thing alone: beside, start, trace, wine, memory, judge, page, locate, sources, copies, "+
			"unchanged, parts or record",
	)
	titles := flag.Int("titles", 0, "measure the record with so many titles alone")
	flag.Parse()
	if *titles > 0 {
		recordSizes = []int{*titles}
	}
	var err error
	for _, m := range []struct {
		name string
		run  func() error
	}{
		{"beside", func() error { return beside(*rounds) }},
		{"start", func() error { return starts(*programs, *rounds) }},
		{"trace", func() error { return run(*programs, *rounds) }},
		{"wine", func() error { return underWine(*rounds) }},
		{"memory", memory},
		{"judge", judge},
		{"page", func() error { return page(*programs) }},
		{"locate", func() error { return locateAll(*programs, *rounds) }},
		{"sources", func() error { return sources(*rounds) }},
		{"copies", func() error { return copiesOfMany(*programs, min(*rounds, 3)) }},
		{"proof", func() error { return proofOfMany(*programs, min(*rounds, 3)) }},
		{"unchanged", func() error { return copyAllUnchanged(*programs) }},
		{"parts", partsOf},
		{"record", func() error { return records(*programs) }},
	} {
		switch {
		case err != nil:
		case *only == m.name:
			err = m.run()
		case *only == "":
			// In a process of its own: what a large process starts counts as large.
			c := exec.Command("/proc/self/exe", append(slices.Clone(os.Args[1:]), "-only", m.name)...)
			c.Stdout, c.Stderr = os.Stdout, os.Stderr
			err = c.Run()
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// storm opens and closes with bare system calls, so that nothing but these is measured.
// how is two words: relative or absolute names, and read or write, or waits: reading, and
// the time of single openings is reported.
func storm(folder string, threads, opens int, how string) {
	names := make([]string, stormFiles)
	for i := range names {
		names[i] = "f" + strconv.Itoa(i)
		if strings.HasPrefix(how, "absolute") {
			names[i] = filepath.Join(folder, names[i])
		}
	}
	if err := os.Chdir(folder); err != nil {
		fmt.Fprintln(os.Stderr, "storm:", err)
		os.Exit(1)
	}
	flags := unix.O_RDONLY | unix.O_CLOEXEC
	if strings.HasSuffix(how, "write") {
		flags = unix.O_RDWR | unix.O_CLOEXEC
	}
	each := strings.HasSuffix(how, "waits")
	waits := make([][]time.Duration, threads)
	start := time.Now()
	var all sync.WaitGroup
	for t := range threads {
		all.Go(func() {
			runtime.LockOSThread()
			for i := t; i < opens; i += threads {
				var before time.Time
				if each {
					before = time.Now()
				}
				fd, err := unix.Open(names[i%stormFiles], flags, 0)
				if err != nil {
					fmt.Fprintln(os.Stderr, "storm:", err)
					os.Exit(1)
				}
				if each {
					waits[t] = append(waits[t], time.Since(before))
				}
				_ = unix.Close(fd)
			}
		})
	}
	all.Wait()
	took := time.Since(start)
	if each { // the time that all but one in a thousand stay below
		list := slices.Sorted(slices.Values(slices.Concat(waits...)))
		took = list[len(list)*999/1000]
	}
	fmt.Println(int64(took))
}

// measured is one row.
type measured struct {
	name    string
	command []string
	limit   float64
	how     func(command []string, home string) (time.Duration, *counts, error)
	check   func(*counts) string
}

// joined is how many openings the last trace by the system's events tells.
var joined int

func run(programs string, rounds int) error {
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	for i := range stormFiles {
		if err := os.WriteFile(
			filepath.Join(folder, "f"+strconv.Itoa(i)), []byte("forty-two bytes, or about that many of it."),
			0o600,
		); err != nil {
			return err
		}
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	game, err := install(programs, folder)
	if err != nil {
		return err
	}
	var u unix.Utsname
	_ = unix.Uname(&u)
	fmt.Printf(
		"Linux %s, %d processors; each %d times, traced and untraced in turn; medians\n\n",
		unix.ByteSliceToString(u.Release[:]), runtime.NumCPU(), rounds,
	)
	fmt.Printf("%-42s %10s %10s %8s %8s\n", "", "untraced", "traced", "ratio", "limit")
	lost := ""
	opens := strconv.Itoa(stormOpens)
	whole := func(c *counts) string { return c.storm(folder, true) }
	benches := []measured{
		{
			fmt.Sprintf("storm of %d opens of %d files", stormOpens, stormFiles),
			[]string{self, "storm", folder, "1", opens, "absolute read"},
			stormLimit,
			observed,
			whole,
		},
		{
			"the same with four threads",
			[]string{self, "storm", folder, "4", opens, "absolute read"},
			threadsLimit,
			observed,
			whole,
		},
		{
			"the same, the system observed",
			[]string{self, "storm", folder, "1", opens, "absolute read"},
			systemLimit,
			systemObserved,
			func(c *counts) string { return c.storm(folder, false) },
		},
		{"the game at sixty frames a second", []string{game, filepath.Join(folder, "real.script")}, gameLimit, observed, nil},
		{"the game as fast as it goes", []string{game, "-pace", "free", filepath.Join(folder, "free.script")}, 0, observed, nil},
	}
	if os.Geteuid() != 0 {
		fmt.Println("the system is observed by root alone: that row is left out")
		benches = slices.Delete(benches, 2, 3)
	}
	for _, b := range benches {
		var plain, traced []time.Duration
		for range rounds {
			d, err := untraced(b.command, folder)
			if err != nil {
				return err
			}
			plain = append(plain, d)
			d, seen, err := b.how(b.command, folder)
			if err != nil {
				return err
			}
			traced = append(traced, d)
			if b.check != nil && lost == "" {
				lost = b.check(seen)
			}
		}
		ratio := float64(median(traced)) / float64(median(plain))
		limit := "none"
		if b.limit > 0 {
			limit = fmt.Sprintf("%.2f", b.limit)
		}
		fmt.Printf(
			"%-42s %10s %10s %8.3f %8s\n", b.name, median(plain).Round(100*time.Microsecond),
			median(traced).Round(100*time.Microsecond), ratio, limit,
		)
		if strings.HasPrefix(b.name, "storm") {
			fmt.Printf("%-42s %10.2f µs added for each open\n", "", float64(median(traced)-median(plain))/stormOpens/1e3)
		}
	}
	if lost != "" {
		return fmt.Errorf("events were lost: %s", lost)
	}
	fmt.Printf(
		"\nnothing was lost: %d opens of %d distinct files in every trace by calls; by the system's\nevents "+
			"every file, and %d of %d openings (the kernel joins those that wait to be read)\n",
		stormOpens,
		stormFiles,
		joined,
		stormOpens,
	)
	return nil
}

func median(d []time.Duration) time.Duration {
	s := slices.Sorted(slices.Values(d))
	return s[len(s)/2]
}

func install(programs, folder string) (string, error) {
	program, err := os.ReadFile(filepath.Join(programs, "tidewrack"))
	if err != nil {
		return "", fmt.Errorf("%w; make build makes it", err)
	}
	game := filepath.Join(folder, "tidewrack")
	for _, f := range []struct {
		name string
		data []byte
		mode os.FileMode
	}{
		{"tidewrack", program, 0o755},
		{"data/world.pak", make([]byte, 2<<20), 0o644},
		{"real.script", []byte("play 120\nsave 1\nset volume 40\nplay 120\nsave 2\nquit\n"), 0o644},
		{"free.script", []byte("play 3000\nsave 1\nset volume 40\nplay 3000\nsave 2\nquit\n"), 0o644},
	} {
		path := filepath.Join(folder, f.name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return "", err
		}
		if err := os.WriteFile(path, f.data, f.mode); err != nil {
			return "", err
		}
	}
	return game, nil
}

func untraced(command []string, home string) (time.Duration, error) {
	c := exec.Command(command[0], command[1:]...)
	c.Env = append(os.Environ(), "HOME="+home)
	start := time.Now()
	out, err := c.CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("%s: %w: %s", command[0], err, out)
	}
	return time.Since(start), nil
}

// observed runs the command under the observer and counts what its trace holds.
// The time is the command's own, from its start to its end.
func observed(command []string, home string) (time.Duration, *counts, error) {
	if err := os.Setenv("HOME", home); err != nil {
		return 0, nil, err
	}
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if err != nil {
		return 0, nil, err
	}
	defer null.Close()
	file, err := os.CreateTemp(home, "*.trace")
	if err != nil {
		return 0, nil, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	start := time.Now()
	result, err := calls.Run(context.Background(), calls.Options{
		Command:   command,
		Out:       file,
		Path:      file.Name(),
		Versions:  versions.Options{Folder: filepath.Join(home, "versions"), File: versions.DefaultFile},
		Stdin:     null,
		Stdout:    null,
		Stderr:    os.Stderr,
		CueFolder: filepath.Join(home, "cues"),
	})
	took := time.Since(start)
	if err != nil {
		return 0, nil, err
	}
	if result.Status != 0 {
		return 0, nil, fmt.Errorf("%s ended with %d under observation", command[0], result.Status)
	}
	seen, err := read(file)
	return took, seen, err
}

// counts is what a trace says about the files below a folder.
type counts struct {
	paths map[int]string
	reads map[int]int
}

func read(f io.ReadSeeker) (*counts, error) {
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	r, err := trace.NewReader(f, trace.DefaultLimits)
	if err != nil {
		return nil, err
	}
	c := &counts{paths: map[int]string{}, reads: map[int]int{}}
	for line, err := range r.Lines() {
		switch {
		case err != nil:
			return nil, err
		case line.File != nil:
			c.paths[line.File.N] = line.File.Path
		case line.Event != nil && line.Event.Op == trace.Read:
			c.reads[line.Event.File]++
		}
	}
	if r.Cut() != "" {
		return nil, fmt.Errorf("the trace is cut short: %s", r.Cut())
	}
	return c, nil
}

// storm says what is missing of the storm.
func (c *counts) storm(folder string, each bool) string {
	files, opens := 0, 0
	for n, p := range c.paths {
		if strings.HasPrefix(p, folder+"/f") && c.reads[n] > 0 {
			files++
			opens += c.reads[n]
		}
	}
	if !each {
		joined = opens
	}
	if files != stormFiles || each && opens != stormOpens {
		return fmt.Sprintf("%d opens of %d files in the trace", opens, files)
	}
	return ""
}
