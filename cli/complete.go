package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/capture/cues"
	"endroit/client"
)

// The most that is offered for completion, and how long it may take to find.
const (
	maxOffered    = 200
	offeredWithin = 2 * time.Second
)

// completes makes a command offer values for its arguments, beside its options and
// commands.
func completes(values func(ctx context.Context, c *cli.Command) []string) cli.ShellCompleteFunc {
	return func(ctx context.Context, c *cli.Command) {
		cli.DefaultCompleteWithFlags(ctx, c)
		args := c.Args().Slice()
		if n := len(args); n > 0 && strings.HasPrefix(args[n-1], "-") {
			return
		}
		ctx, cancel := context.WithTimeout(ctx, offeredWithin)
		defer cancel()
		for i, v := range values(ctx, c) {
			if i == maxOffered {
				return
			}
			fmt.Fprintln(c.Root().Writer, v)
		}
	}
}

// offerTraces are the traces in this folder.
func offerTraces(context.Context, *cli.Command) []string {
	names, _ := filepath.Glob("*.trace")
	return names
}

// offerDrafts are the drafts in this folder.
func offerDrafts(context.Context, *cli.Command) []string {
	names, _ := filepath.Glob("*.draft.yaml")
	return names
}

func offerCues(context.Context, *cli.Command) []string { return cues.Standard }

// offerTitles are the names in the local manifest.
func (a *app) offerTitles(ctx context.Context, _ *cli.Command) []string {
	m, err := a.openManifest(ctx)
	if err != nil {
		return nil
	}
	defer m.Close()
	names, _ := m.Names(ctx, maxOffered)
	return names
}

// offerContributions are the numbers of those that wait.
func (a *app) offerContributions(ctx context.Context, c *cli.Command) (numbers []string) {
	l, err := readLogin(c)
	if err != nil {
		return nil
	}
	cl, err := l.client()
	if err != nil {
		return nil
	}
	page, err := cl.Contributions(ctx, client.Filter{State: "waiting"})
	if err != nil {
		return nil
	}
	for _, x := range page.Items {
		numbers = append(numbers, fmt.Sprintf("%d:%s", x.Number, x.Title))
	}
	return numbers
}
