package cli

import (
	"io"
	"os"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/phrase"
)

// colorFlag says when the output has weight and colour.
func (a *app) colorFlag() cli.Flag {
	return &cli.StringFlag{
		Name:  "color",
		Value: "auto",
		Usage: "`WHEN` to use colour: auto (on a terminal, unless NO_COLOR is set), always or never",
	}
}

// setColor decides from --color, NO_COLOR (no-color.org) and the terminal.
func (a *app) setColor(when string) error {
	switch when {
	case "always":
		a.styled = true
		text.EnableColors()
	case "never":
		a.styled = false
	case "auto":
		a.styled = isTerminal(a.out) && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	default:
		return fail(exitUsage, "--color %q is not auto, always or never", when)
	}
	return nil
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

func (a *app) paint(s string, colors ...text.Color) string {
	if !a.styled || s == "" {
		return s
	}
	return text.Colors(colors).Sprint(s)
}

// heading is a title, or the name of a part.
func (a *app) heading(s string) string { return a.paint(s, text.Bold) }

// path is what a person came for.
func (a *app) path(s string) string { return a.paint(s, text.Bold) }

// kind is what a file or location holds. Magenta and red can be read on black and on white.
func (a *app) kind(s string) string { return a.paint(s, text.FgMagenta) }

// missing is what is not there, or wrong.
func (a *app) missing(s string) string { return a.paint(s, text.FgRed) }

// quiet is what few people need.
func (a *app) quiet(s string) string { return a.paint(s, text.Faint) }

// grid is a table whose last column takes what the terminal's width leaves.
type grid struct {
	table.Writer
	out    io.Writer
	widths []int
}

// lastColumn is the least width that is left for the last column.
const lastColumn = 24

func newTable(out io.Writer, heads ...any) *grid {
	g := &grid{table.NewWriter(), out, make([]int, len(heads))}
	g.SetOutputMirror(out)
	g.Style().Box = table.BoxStyle{PaddingRight: "  "}
	g.Style().Options = table.Options{}
	g.Style().Format.Header = text.FormatDefault
	g.SuppressTrailingSpaces()
	g.measure(heads)
	g.AppendHeader(heads)
	return g
}

func (g *grid) measure(row table.Row) {
	for i, cell := range row {
		if i < len(g.widths) {
			g.widths[i] = max(g.widths[i], phrase.Width(toText(cell)))
		}
	}
}

func toText(cell any) string {
	if s, ok := cell.(string); ok {
		return s
	}
	return strings.TrimSpace(text.FormatDefault.Apply(sprint(cell)))
}

// AppendRow adds a row.
func (g *grid) AppendRow(row table.Row) {
	g.measure(row)
	g.Writer.AppendRow(row)
}

// Render prints the table. On a terminal long values of the last column are wrapped.
func (g *grid) Render() {
	if width := widthOf(g.out); width > 0 && len(g.widths) > 1 {
		rest := width
		for _, w := range g.widths[:len(g.widths)-1] {
			rest -= w + len("  ")
		}
		rest = max(rest-1, lastColumn)
		g.SetColumnConfigs([]table.ColumnConfig{{Number: len(g.widths), WidthMax: rest, WidthMaxEnforcer: text.WrapHard}})
	}
	g.Writer.Render()
}

// widthOf is how many cells a terminal has in a row; 0 if it is none.
func widthOf(out io.Writer) int {
	f, ok := out.(*os.File)
	if !ok {
		return 0
	}
	width, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return width
}

// progress shows on a terminal how far long work is, how fast it is and how long it will
// take, in one line that it wipes again; elsewhere it shows nothing.
func (a *app) progress(doing string) (told func(done, of int), end func()) {
	if !a.onTerminal() {
		return nil, func() {}
	}
	var bar *progressbar.ProgressBar
	return func(done, of int) {
			if bar == nil {
				bar = a.bar(doing, int64(of), false)
			}
			_ = bar.Set(done)
		}, func() {
			if bar != nil {
				_ = bar.Clear()
			}
		}
}

// bar draws on standard error. A size of -1 is not known.
func (a *app) bar(doing string, size int64, bytes bool) *progressbar.ProgressBar {
	return progressbar.NewOptions64(
		size, progressbar.OptionSetWriter(a.err), progressbar.OptionSetDescription(doing),
		progressbar.OptionShowBytes(bytes), progressbar.OptionShowCount(), progressbar.OptionShowIts(),
		progressbar.OptionSetPredictTime(true), progressbar.OptionThrottle(100*time.Millisecond),
		progressbar.OptionClearOnFinish(), progressbar.OptionFullWidth(),
	)
}
