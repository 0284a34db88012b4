package cli

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/safefile"
	"endroit/tracefiles"
)

func (a *app) bytesSet() *cli.Command {
	return command(&cli.Command{
		Name: "set", Usage: "make a copy of a file with another value and a correct checksum",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "notes", Usage: "the `NOTES` on its structure"},
			&cli.StringSliceFlag{Name: "field", Usage: "the new value of a field: `NAME=VALUE`; can be repeated"},
			&cli.StringFlag{Name: "out", Usage: "the `COPY` to write"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one FILE")
			if err != nil {
				return err
			}
			return a.runBytesSet(c, name)
		},
	}, find, "bytes-set")
}

// readNotes reads notes on the structure of files.
func readNotes(name string) (*notes.Notes, error) {
	text, err := safefile.Read(name, notes.MaxBytes)
	if err != nil {
		return nil, fail(unread(err), "%w", err)
	}
	n, err := notes.Parse(text)
	if err != nil {
		return nil, fail(exitInput, "%s: %w", name, err)
	}
	return n, nil
}

func (a *app) readByNotes(ctx context.Context, c *cli.Command, name string) error {
	n, err := readNotes(c.String("notes"))
	if err != nil {
		return err
	}
	o, err := tracefiles.ReadContent(name)
	if err != nil {
		return err
	}
	r := n.Read(o.Data)
	if c.Bool("json") {
		return a.json(r)
	}
	a.say("%s", shown(o.Name))
	if n.About != "" {
		a.say("  read as: %s", shown(n.About))
	}
	a.say("")
	t := newTable(a.out, "at", "type", "field", "value", "says")
	for _, v := range r.Values {
		t.AppendRow(table.Row{hexOffset(v.At), v.Type, v.Name, shown(strings.ReplaceAll(v.Text, "\n", `\n`)), shown(v.Says)})
	}
	if len(r.Values) > 0 {
		t.Render()
		a.say("")
	}
	for _, p := range r.Problems {
		a.say("does not match: %s", shown(p))
	}
	if len(r.Sound) > 0 {
		a.say("matches: %s", strings.Join(r.Sound, ", "))
	}
	left := 0
	for _, g := range r.Free {
		left += g.Length
	}
	if left > 0 {
		first := r.Free[0]
		a.say(
			"not described: %s in %s, the first at %s", bytesExactly(left),
			phrase.Count(len(r.Free), "place", "places"), hexOffset(first.At),
		)
	}
	if !r.Valid() {
		return silent(exitInput)
	}
	if into := c.String("into"); into != "" {
		return a.putNotes(ctx, n, o.Path, into)
	}
	return nil
}

// putNotes puts notes that match a file to the locations of a draft that cover it. The
// rest of the draft is unchanged.
func (a *app) putNotes(ctx context.Context, n *notes.Notes, file, name string) error {
	d, fp, err := readDraft(name)
	if err != nil {
		return err
	}
	if full, err := filepath.Abs(file); err == nil {
		file = full
	}
	var at []int
	covered, err := contribution.Cover(ctx, d, fp)
	if err != nil {
		return err
	}
	for i, c := range covered {
		if slices.ContainsFunc(c.Files, func(f int) bool { return fp.Files[f].Path == file }) {
			at = append(at, i)
		}
	}
	if len(at) == 0 {
		return fail(exitInput, "no location of %s covers %s; the notes were not added", name, file)
	}
	for _, i := range at {
		d.Locations[i].Notes = n
	}
	if err := d.Check(); err != nil {
		return err
	}
	text, err := safefile.Read(name, draft.MaxBytes)
	if err != nil {
		return err
	}
	for _, i := range at {
		if text, err = draft.WithNotes(text, i, n); err != nil {
			return fail(exitInput, "%s: %w", name, err)
		}
	}
	if err := safefile.Write(name, text); err != nil {
		return err
	}
	for _, i := range at {
		a.say("%s: the notes were added to %s and will be submitted", name, d.Locations[i].At)
	}
	return nil
}

func (a *app) runBytesSet(c *cli.Command, name string) error {
	if c.String("notes") == "" || c.String("out") == "" || len(c.StringSlice("field")) == 0 {
		return fail(exitUsage, "it takes --notes NOTES, --field NAME=VALUE and --out COPY")
	}
	n, err := readNotes(c.String("notes"))
	if err != nil {
		return err
	}
	o, err := tracefiles.ReadContent(name)
	if err != nil {
		return err
	}
	data := o.Data
	for _, pair := range c.StringSlice("field") {
		field, value, ok := strings.Cut(pair, "=")
		if !ok {
			return fail(exitUsage, "--field %q is not NAME=VALUE", pair)
		}
		if data, err = n.Set(data, field, value); err != nil {
			return fail(exitInput, "%s: %w", name, err)
		}
	}
	f, err := newFile(c.String("out"))
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		_ = os.Remove(f.Name())
		return err
	}
	checked := ""
	if n.Checksum != nil {
		checked = ", and a correct checksum"
	}
	a.say(
		"%s: %s with %s%s; %s is unchanged", f.Name(), bytesExactly(len(data)),
		strings.Join(c.StringSlice("field"), ", "), checked, name,
	)
	a.say("Next: back up the game's file, replace it with this one, and load it in the game")
	return nil
}
