// Package browser starts Debian's Chromium, headless, for the console's tests
// and pictures.
//
//	ctx, stop, err := browser.Start(ctx)
//	defer stop()
package browser

import (
	"context"
	"fmt"
	"os"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
)

// Start starts a browser with an empty profile. stop ends it and removes the
// profile.
func Start(ctx context.Context) (_ context.Context, stop func(), err error) {
	profile, err := os.MkdirTemp("", "endroit-browser-")
	if err != nil {
		return nil, nil, fmt.Errorf("start the browser: %w", err)
	}
	options := append(
		chromedp.DefaultExecAllocatorOptions[:], chromedp.UserDataDir(profile), chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("hide-scrollbars", true),
	)
	if os.Getuid() == 0 {
		options = append(options, chromedp.NoSandbox) // it refuses to be root with one
	}
	ctx, endBrowser := chromedp.NewExecAllocator(ctx, options...)
	ctx, endTab := chromedp.NewContext(ctx)
	stop = func() {
		endTab()
		endBrowser()
		_ = os.RemoveAll(profile)
	}
	// The browser lives as long as the context of the first action: this one.
	if err := chromedp.Do(ctx, chromedp.Navigate("about:blank")); err != nil {
		stop()
		return nil, nil, fmt.Errorf("start the browser: %w; Debian's package is called chromium", err)
	}
	return ctx, stop, nil
}

// SetView sets the size of the page in CSS pixels and whether dark colours are
// preferred; nothing moves.
func SetView(ctx context.Context, width, height int64, dark bool) error {
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(width, height)); err != nil {
		return err
	}
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{
		{Name: "prefers-color-scheme", Value: scheme}, {Name: "prefers-reduced-motion", Value: "reduce"}}})
	return err
}
