//go:build linux

package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"endroit/capture/calls"
	"endroit/capture/system"
	"endroit/core/trace"
	"endroit/standin/wine"
)

// systemObserved is observed, by the system's events; the time is the command's own.
func systemObserved(command []string, home string) (time.Duration, *counts, error) {
	file, err := os.CreateTemp(home, "*.trace")
	if err != nil {
		return 0, nil, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	ready, done := make(chan struct{}), make(chan error, 1)
	go func() {
		_, err := system.Run(ctx, system.Options{
			Process:   filepath.Base(command[0]),
			Under:     home,
			Out:       file,
			Path:      file.Name(),
			CueFolder: filepath.Join(home, "cues"),
			Header:    trace.Header{User: "bench", Env: map[string]string{"HOME": home}},
			Ready:     func() { close(ready) },
		})
		done <- err
	}()
	select {
	case <-ready:
	case err := <-done:
		return 0, nil, err
	}
	took, err := untraced(command, home)
	time.Sleep(300 * time.Millisecond) // what is queued is read
	cancel()
	if e := <-done; err == nil {
		err = e
	}
	if err != nil {
		return 0, nil, err
	}
	seen, err := read(file)
	return took, seen, err
}

// underWine measures a small Windows program, from its start until the prefix's server
// has gone.
func underWine(rounds int) error {
	if _, err := exec.LookPath("wineboot"); err != nil {
		fmt.Println("\nthere is no Wine here (tools/need wine): a Windows program was not measured")
		return nil
	}
	top, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(top)
	p := wine.Prefix{Folder: filepath.Join(top, "prefix"), Home: filepath.Join(top, "home")}
	ctx := context.Background()
	if err := p.Make(ctx); err != nil {
		return err
	}
	defer p.End(ctx)
	if err := p.Rest(ctx); err != nil {
		return err
	}
	for name, value := range map[string]string{
		"HOME": p.Home, "WINEPREFIX": p.Folder, "WINEDEBUG": "-all", "DISPLAY": "", "WINEDLLOVERRIDES": "mscoree,mshtml=",
	} {
		if err := os.Setenv(name, value); err != nil {
			return err
		}
	}
	command := []string{"wine", "cmd", "/c", "echo saved>%APPDATA%\\a.sav"}
	var plain, traced []time.Duration
	events := 0
	for range rounds {
		start := time.Now()
		if out, err := exec.Command(command[0], command[1:]...).CombinedOutput(); err != nil {
			return fmt.Errorf("wine: %w: %s", err, out)
		}
		if err := p.Rest(ctx); err != nil {
			return err
		}
		plain = append(plain, time.Since(start))
		null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
		if err != nil {
			return err
		}
		file, err := os.Create(filepath.Join(top, "x.trace"))
		if err != nil {
			return err
		}
		start = time.Now()
		result, err := calls.Run(ctx, calls.Options{
			Command:   command,
			Out:       file,
			Stdin:     null,
			Stdout:    null,
			Stderr:    null,
			CueFolder: filepath.Join(top, "cues"),
			Header:    trace.Header{Prefix: &trace.Prefix{Folder: p.Folder}},
		})
		traced = append(traced, time.Since(start))
		_, _ = null.Close(), file.Close()
		if err != nil {
			return err
		}
		events = result.End.Events
	}
	fmt.Printf(
		"%-42s %10s %10s %8.3f %8.2f   %d events\n", "a Windows program, until its server went",
		median(plain).Round(time.Millisecond), median(traced).Round(time.Millisecond),
		float64(median(traced))/float64(median(plain)), wineLimit, events,
	)
	return nil
}

// manyEvents is how many openings the observer's memory is measured after.
const manyEvents = 10_000_000

// memory measures the observer's memory, and the size of its trace, in a process of its
// own.
func memory() error {
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	for i := range stormFiles {
		if err := os.WriteFile(filepath.Join(folder, "f"+strconv.Itoa(i)), []byte("forty-two bytes"), 0o600); err != nil {
			return err
		}
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	c := exec.Command(self, "long", folder, strconv.Itoa(manyEvents))
	c.Stderr = os.Stderr
	c.Env = append(os.Environ(), "HOME="+folder)
	out, err := c.Output()
	fmt.Print("\n" + string(out))
	return err
}

// long observes a long storm and tells what it took.
func long(folder, opens string) error {
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	file, err := os.Create(filepath.Join(folder, "long.trace"))
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	result, err := calls.Run(context.Background(), calls.Options{
		Command:   []string{self, "storm", folder, "1", opens, "absolute read"},
		Out:       file,
		Stdin:     null,
		Stdout:    null,
		Stderr:    os.Stderr,
		CueFolder: filepath.Join(folder, "cues"),
	})
	if err != nil {
		return err
	}
	info, err := file.Stat()
	if err != nil {
		return err
	}
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return err
	}
	_, peak, ok := strings.Cut(string(status), "VmHWM:")
	fields := strings.Fields(peak)
	if !ok || len(fields) == 0 {
		return errors.New("the kernel does not tell the memory")
	}
	kB, err := strconv.Atoi(fields[0])
	if err != nil {
		return err
	}
	fmt.Printf(
		"after %d events: the observer took %d MB at most (limit %d), the trace %.2f bytes an event (limit %.0f)\n",
		result.End.Events, kB/1000, memoryLimit, float64(info.Size())/float64(result.End.Events), bytesLimit,
	)
	return nil
}
