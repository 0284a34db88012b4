//go:build linux

package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/chromedp/chromedp"

	"endroit/core/trace"
	"endroit/standin/browser"
)

// The run that the workbench shows, and what should stay below.
const (
	shownEvents = 1_000_000
	shownFiles  = 20_000
	savesAmong  = 40  // one file of so many is a save
	stepLimit   = 0.1 // seconds, what people feel as at once
)

// page measures the workbench in the browser: until it stands, and from asking to zoom,
// to move or to see the noise until that is drawn.
func page(programs string) error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	name := filepath.Join(folder, "wide.trace")
	if err := wideTrace(name); err != nil {
		return err
	}
	c := exec.CommandContext(ctx, filepath.Join(programs, "endroit"), "workbench", name, "--no-browser")
	c.Env = []string{"HOME=" + folder, "PATH=" + os.Getenv("PATH")}
	start := time.Now()
	address, end, err := browser.Workbench(c)
	if err != nil {
		return err
	}
	defer end()
	read := time.Since(start)
	view, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := browser.SetView(view, 1280, 800, false); err != nil {
		return err
	}
	start = time.Now()
	if err := chromedp.Do(
		view, chromedp.Navigate(address), chromedp.WaitVisible(chromedp.CSS("canvas")),
		chromedp.WaitVisible(chromedp.CSS(".covers")),
	); err != nil {
		return err
	}
	fmt.Printf(
		"\nworkbench, %d events on %d files: the trace is read in %s, the page stands %s later\n", shownEvents,
		shownFiles, read.Round(time.Millisecond), time.Since(start).Round(time.Millisecond),
	)
	for _, x := range []struct{ what, press string }{
		{"zoom", "[aria-label=Closer]"},
		{"move", "[aria-label=Earlier]"},
		{"fold the noise out and in", ".noise"},
	} {
		times, err := chromedp.Run(view, chromedp.Evaluate[[]float64](fmt.Sprintf(`(async () => {
			const times = []
			for (let i = 0; i < 11; i++) {
				const start = performance.now()
				document.querySelector(%q).click()
				await new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
				times.push((performance.now() - start) / 1000)
			}
			return times
		})()`, x.press), chromedp.EvalAwaitPromise))
		if err != nil {
			return fmt.Errorf("%s: %w", x.what, err)
		}
		var list []time.Duration
		for _, t := range times {
			list = append(list, time.Duration(t*float64(time.Second)))
		}
		fmt.Printf(
			"  %-26s drawn after %s (median of %d; limit %.0f ms)\n", x.what,
			median(list).Round(time.Millisecond), len(list), stepLimit*1000,
		)
	}
	return nil
}

// wideTrace writes a trace of many files, some of them saves.
func wideTrace(name string) error {
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	defer file.Close()
	w, err := trace.NewWriter(file, trace.Header{
		Title:    "Lantern Hollow",
		OS:       "linux",
		Runtime:  "native",
		Observer: trace.ByCalls,
		Started:  time.Now(),
		Env:      map[string]string{"HOME": "/home/mira"},
	})
	if err != nil {
		return err
	}
	if err := w.Process(&trace.Process{PID: 1, Exe: "/opt/lantern-hollow/lantern"}); err != nil {
		return err
	}
	for i := range shownFiles {
		path := fmt.Sprintf("/opt/lantern-hollow/data/pack%03d/asset%05d.dat", i%400, i)
		if i%savesAmong == 0 {
			path = fmt.Sprintf("/home/mira/.local/share/lantern-hollow/saves/region%03d/chunk%05d.sav", i%100, i)
		}
		if err := w.File(&trace.File{Path: path, Before: trace.State{Is: trace.IsFile, Size: 100}}); err != nil {
			return err
		}
	}
	const length = 20 * time.Minute
	for i := range shownEvents {
		n := i * 7919 % shownFiles // all over, in an order of its own
		e := trace.Event{At: length * time.Duration(i) / shownEvents, Process: 1, Op: trace.Read, File: n + 1}
		if n%savesAmong == 0 && i%3 == 0 {
			e.Op = trace.Replace
		}
		if err := w.Event(e); err != nil {
			return err
		}
	}
	_, err = w.Close(length)
	return err
}
