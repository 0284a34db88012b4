//go:build linux

package main

import (
	"context"
	_ "embed"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"endroit/capture/calls"
)

//go:embed first/first.c
var firstInstruction string

//go:embed supervisor/supervisor.c
var supervisor string

// What the observer should stay below: beside the least that a supervisor in C does, and
// from the start of the command line to the first instruction of the command.
const (
	besideLimit = 1.15
	startLimit  = 10 * time.Millisecond
	javaLimit   = 1.5
)

// compiled compiles a program in C, and returns its path.
func compiled(folder, name, text string, options ...string) (string, error) {
	program := filepath.Join(folder, name)
	source := program + ".c"
	if err := os.WriteFile(source, []byte(text), 0o600); err != nil {
		return "", err
	}
	args := append(options, "-O2", "-o", program, source)
	if out, err := exec.Command("cc", args...).CombinedOutput(); err != nil {
		return "", fmt.Errorf("compile %s: %w: %s", name, err, out)
	}
	return program, nil
}

// beside measures storms of openings untraced, under a minimal supervisor in C, and under
// the observer, each in turn; the times are the storm's own, without its start.
func beside(rounds int) error {
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	for i := range stormFiles {
		if err := os.WriteFile(filepath.Join(folder, "f"+strconv.Itoa(i)), []byte("some bytes"), 0o600); err != nil {
			return err
		}
	}
	minimal, err := compiled(folder, "supervisor", supervisor)
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	fmt.Printf(
		"%d openings of %d files by bare system calls, in milliseconds; each %d times in turn; medians of "+
			"the times, and of the ratios within a round\n\n",
		stormOpens,
		stormFiles,
		rounds,
	)
	fmt.Printf("%-34s %9s %9s %9s %9s %9s %8s\n", "", "untraced", "in C", "traced", "untr. x", "in C x", "limit")
	measure := func(threads, how string) (took [3][]time.Duration, err error) {
		command := []string{self, "storm", folder, threads, strconv.Itoa(stormOpens), how}
		for range rounds {
			for i, run := range []func([]string) (time.Duration, error){
				own,
				func(c []string) (time.Duration, error) { return own(append([]string{minimal}, c...)) },
				func(c []string) (time.Duration, error) { return tracedOwn(c, folder) },
			} {
				d, err := run(command)
				if err != nil {
					return took, err
				}
				took[i] = append(took[i], d)
			}
		}
		return took, nil
	}
	for _, threads := range []string{"1", "8"} {
		for _, how := range []string{"relative read", "absolute read", "relative write", "absolute write"} {
			took, err := measure(threads, how)
			if err != nil {
				return err
			}
			ms := func(d []time.Duration) string { return fmt.Sprintf("%.1f", float64(median(d))/1e6) }
			fmt.Printf(
				"%-34s %9s %9s %9s %9.2f %9.2f %8.2f\n", how+", threads: "+threads, ms(took[0]), ms(took[1]),
				ms(took[2]), ratio(took[2], took[0]), ratio(took[2], took[1]), besideLimit,
			)
		}
	}
	for _, threads := range []string{"1", "8"} {
		took, err := measure(threads, "relative waits")
		if err != nil {
			return err
		}
		plain, c, traced := median(took[0]), median(took[1]), median(took[2])
		fmt.Printf(
			"%s threads: all but one opening in a thousand take less than %s, in C %s, traced %s\n", threads,
			plain, c, traced,
		)
	}
	fmt.Println()
	return nil
}

// ratio is the median of the ratios of times that were taken one after the other: so the
// machine's moods count less.
func ratio(of, to []time.Duration) float64 {
	var all []float64
	for i := range of {
		all = append(all, float64(of[i])/float64(to[i]))
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// own is what a program says of its own time.
func own(command []string) (time.Duration, error) {
	out, err := exec.Command(command[0], command[1:]...).Output()
	if err != nil {
		return 0, fmt.Errorf("%v: %w", command, err)
	}
	n, err := strconv.ParseInt(strings.TrimSpace(string(out)), 10, 64)
	return time.Duration(n), err
}

// tracedOwn is that under the observer.
func tracedOwn(command []string, home string) (time.Duration, error) {
	if err := os.Setenv("HOME", home); err != nil {
		return 0, err
	}
	said, err := os.CreateTemp(home, "said")
	if err != nil {
		return 0, err
	}
	defer os.Remove(said.Name())
	defer said.Close()
	file, err := os.CreateTemp(home, "*.trace")
	if err != nil {
		return 0, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	result, err := calls.Run(context.Background(), calls.Options{
		Command:   command,
		Out:       file,
		Path:      file.Name(),
		Stdout:    said,
		Stderr:    os.Stderr,
		CueFolder: filepath.Join(home, "cues"),
	})
	if err != nil {
		return 0, err
	}
	if result.Status != 0 {
		return 0, fmt.Errorf("%s ended with %d under observation", command[0], result.Status)
	}
	text, err := os.ReadFile(said.Name())
	if err != nil {
		return 0, err
	}
	n, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64)
	return time.Duration(n), err
}

// starts measures what comes before a command's first instruction, and how long a program
// with many files takes to start.
func starts(programs string, rounds int) error {
	endroit, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	command, err := compiled(folder, "first", firstInstruction, "-static")
	if err != nil {
		return err
	}
	n := 0
	traced := func(command ...string) *exec.Cmd {
		n++
		c := exec.Command(
			endroit,
			append([]string{"trace", "--quiet", "--out", filepath.Join(folder, strconv.Itoa(n)+".trace"), "--"}, command...)...)
		c.Env = append(os.Environ(), "HOME="+folder)
		return c
	}
	first := func(c *exec.Cmd) (time.Duration, error) {
		start := time.Now()
		out, err := c.Output()
		if err != nil {
			return 0, err
		}
		at, err := strconv.ParseInt(strings.TrimSpace(string(out)), 10, 64)
		return time.Duration(at - start.UnixNano()), err
	}
	var plain, under []time.Duration
	for range 10 * rounds {
		a, err1 := first(exec.Command(command))
		b, err2 := first(traced(command))
		if err1 != nil || err2 != nil {
			return fmt.Errorf("start: %w %w", err1, err2)
		}
		plain, under = append(plain, a), append(under, b)
	}
	fmt.Printf(
		"from the start of endroit trace to the first instruction of a static program in C: %.1f ms more than alone (limit %.0f)\n",
		float64(median(under)-median(plain))/1e6, float64(startLimit)/1e6,
	)
	for _, program := range [][]string{{"java", "-version"}, {"node", "-e", "0"}, {"git", "status"}} {
		if _, err := exec.LookPath(program[0]); err != nil {
			fmt.Printf("%s is not here: its start is left out\n", program[0])
			continue
		}
		var plain, under []time.Duration
		for range rounds {
			for _, x := range []struct {
				c    *exec.Cmd
				into *[]time.Duration
			}{{exec.Command(program[0], program[1:]...), &plain}, {traced(program...), &under}} {
				start := time.Now()
				_ = x.c.Run()
				*x.into = append(*x.into, time.Since(start))
			}
		}
		limit := "none"
		if program[0] == "java" {
			limit = fmt.Sprintf("%.2f", javaLimit)
		}
		a, b := median(plain), median(under)
		fmt.Printf(
			"%-34s %9s %9s %8.2f %8s\n", strings.Join(program, " ")+", whole", a.Round(100*time.Microsecond),
			b.Round(100*time.Microsecond), float64(b)/float64(a), limit,
		)
	}
	fmt.Println()
	return nil
}
