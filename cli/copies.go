package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/safefile"
)

func (a *app) copies() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "copies", Usage: "list the copies that were taken, or read them again to check them",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "in", Usage: "also look in this `FOLDER` of copies; can be repeated"},
			&cli.BoolFlag{Name: "check", Usage: "read everything again, and say what is damaged"},
			jsonFlag(),
		},
		Action: a.runCopies,
	}, reuse, "copies")
}

// foldersFile keeps the folders in which this person has put copies.
func foldersFile() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "copy-folders.json"), err
}

func rememberedFolders() ([]string, error) {
	file, err := foldersFile()
	if err != nil {
		return nil, err
	}
	data, err := safefile.Read(file, ownFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var list []string
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, fail(exitInput, "%s is damaged; remove it, and name folders of copies with --in", file)
	}
	return list, nil
}

// rememberFolder notes that a folder has copies, so that they are found there.
func rememberFolder(folder string) error {
	own, err := copiesFolder("")
	if err != nil || folder == own {
		return err
	}
	list, err := rememberedFolders()
	if err != nil || slices.Contains(list, folder) {
		return err
	}
	data, err := json.MarshalIndent(append(list, folder), "", "  ")
	if err != nil {
		return err
	}
	file, err := foldersFile()
	if err != nil {
		return err
	}
	return writeOwn(file, append(data, '\n'))
}

// copyFolders are all folders in which copies are looked for.
func copyFolders(named []string) ([]string, error) {
	own, err := copiesFolder("")
	if err != nil {
		return nil, err
	}
	list, err := rememberedFolders()
	if err != nil {
		return nil, err
	}
	list = append([]string{own}, list...)
	for _, folder := range named {
		abs, err := filepath.Abs(folder)
		if err != nil {
			return nil, err
		}
		if info, err := os.Stat(abs); err != nil || !info.IsDir() {
			return nil, fail(exitNotFound, "--in %s is not a folder", folder)
		}
		if !slices.Contains(list, abs) {
			list = append(list, abs)
		}
	}
	return list, nil
}

// CopiesFormat names what copies --json prints.
const CopiesFormat = "endroit/copies/1"

// listedCopy is a copy that was found, as programs read it.
type listedCopy struct {
	ID       string           `json:"id"`
	Title    string           `json:"title"`
	Name     string           `json:"name,omitempty"`
	Set      bool             `json:"set"`
	Taken    string           `json:"taken"`
	Variant  string           `json:"variant"`
	Version  string           `json:"version,omitempty"`
	Path     string           `json:"path"`
	Form     copies.Form      `json:"form"`
	Files    int              `json:"files"`
	Bytes    int64            `json:"bytes"`
	Newest   string           `json:"newest,omitempty"`
	Problems []copies.Problem `json:"problems,omitempty"`
	Checked  bool             `json:"checked"`
}

func (a *app) runCopies(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	folders, err := copyFolders(c.StringSlice("in"))
	if err != nil {
		return err
	}
	all, notes := copies.List(ctx, folders)
	if name != "" {
		_, missing := os.Stat(name)
		switch c, err := copies.Open(ctx, name); {
		case err == nil:
			all, notes = []*copies.Copy{c}, nil
		case missing == nil && !errors.Is(err, copies.ErrNoCopy):
			return fail(exitInput, "%w", err)
		default:
			all = slices.DeleteFunc(all, func(c *copies.Copy) bool {
				return manifest.Plain(c.Record.Title) != manifest.Plain(name) && c.Record.TitleID != name
			})
		}
	}
	list := make([]listedCopy, len(all))
	broken := 0
	for i, x := range all {
		list[i] = newListedCopy(x)
		if !c.Bool("check") {
			continue
		}
		told, end := a.progress("reading " + shown(x.Record.Title))
		problems, err := x.Check(ctx, told)
		end()
		if err != nil {
			return err
		}
		list[i].Checked, list[i].Problems = true, problems
		if len(problems) > 0 {
			broken++
		}
	}
	if c.Bool("json") {
		err := a.json(struct {
			Format string        `json:"format"`
			Copies []listedCopy  `json:"copies"`
			Notes  []copies.Note `json:"notes"`
		}{CopiesFormat, list, append([]copies.Note{}, notes...)})
		if err == nil && broken > 0 {
			return silent(exitInput)
		}
		return err
	}
	slices.SortStableFunc(list, func(a, b listedCopy) int { return strings.Compare(a.Title, b.Title) })
	a.printCopies(list, c.Bool("check"))
	for _, n := range notes {
		a.tell("endroit: %s: %s", shown(n.Path), shown(n.What))
	}
	if len(list) == 0 {
		if name != "" {
			return fail(exitNotFound, "there is no copy of %s; endroit copy %s takes one", name, quotedTitle(name))
		}
		a.say("There are no copies yet; endroit copy TITLE takes one.")
	}
	if broken > 0 {
		return fail(exitInput, "%s damaged", phrase.Count(broken, "copy is", "copies are"))
	}
	return nil
}

func newListedCopy(c *copies.Copy) listedCopy {
	r := c.Record
	out := listedCopy{
		ID: r.ID, Title: r.Title, Name: r.Name, Set: r.Set, Taken: r.Taken.Format("2006-01-02T15:04:05Z07:00"), Variant: variantOf(c),
		Version: r.Variant.Version, Path: c.Path, Form: c.Form, Files: len(r.Files), Bytes: r.Bytes(),
	}
	if newest := r.Newest(); !newest.IsZero() {
		out.Newest = newest.Format("2006-01-02T15:04:05Z07:00")
	}
	return out
}

// variantOf says in words which variant a copy is of.
func variantOf(c *copies.Copy) string {
	v := c.Record.Variant
	text := strings.TrimSpace(v.Store + " " + v.Reference)
	if text != "" {
		text += ", "
	}
	if v.Launcher != "" && v.Launcher != v.Store {
		text += "started by " + v.Launcher + ", "
	}
	text += v.OS + " " + v.Runtime
	if v.Version != "" {
		text += ", version " + v.Version
	}
	if v.Account != "" {
		text += ", account " + v.Account
	}
	return text
}

func (a *app) printCopies(list []listedCopy, checked bool) {
	title := ""
	for i, x := range list {
		if x.Title != title {
			if i > 0 {
				a.say("")
			}
			a.say("%s", a.heading(shown(x.Title)))
			title = x.Title
		}
		taken := x.Taken
		if t, err := time.Parse(time.RFC3339, x.Taken); err == nil {
			taken = t.Local().Format("2006-01-02 15:04:05")
		}
		name := ""
		if x.Name != "" {
			name = "  " + a.heading(shown(x.Name))
			if x.Set {
				name += " (set)"
			}
		}
		verdict := ""
		switch {
		case len(x.Problems) > 0:
			verdict = "  " + a.missing("damaged")
		case checked:
			verdict = "  all files are as they were copied"
		}
		a.say("  %s  %s%s%s", x.ID[:shortID], taken, name, verdict)
		a.say("            %s; %s", sideLine(x.Files, x.Bytes, localTime(x.Newest)), shown(x.Variant))
		a.say("            %s", a.quiet(pasted(x.Path)))
		for i, p := range x.Problems {
			if i == problemsShown {
				a.say("            %s", a.missing(fmt.Sprintf("and %d more (--json lists them)", len(x.Problems)-i)))
				break
			}
			a.say("            %s", a.missing(shown(p.Place)+": "+shown(p.What)))
		}
	}
}

// problemsShown is how many damaged files of a copy are printed.
const problemsShown = 8

// findCopy is the copy that a text means: a folder or an archive, the beginning of an id, or
// a name.
func (a *app) findCopy(ctx context.Context, text string, named []string) (*copies.Copy, error) {
	if _, err := os.Stat(text); err == nil {
		c, err := copies.Open(ctx, text)
		if err != nil {
			return nil, fail(exitInput, "%w", err)
		}
		return c, nil
	}
	folders, err := copyFolders(named)
	if err != nil {
		return nil, err
	}
	all, _ := copies.List(ctx, folders)
	var byID, byName, ofTitle []*copies.Copy
	for _, c := range all {
		switch {
		case len(text) >= 4 && strings.HasPrefix(c.Record.ID, strings.ToLower(text)):
			byID = append(byID, c)
		case strings.EqualFold(c.Record.Name, text):
			byName = append(byName, c)
		case manifest.Plain(c.Record.Title) == manifest.Plain(text):
			ofTitle = append(ofTitle, c)
		}
	}
	for _, found := range [][]*copies.Copy{byID, byName} {
		switch len(found) {
		case 1:
			return found[0], nil
		case 0:
			continue
		}
		return nil, fail(exitUsage, "%d copies are meant by %q; name one by its id:\n%s", len(found), text, copyLines(found))
	}
	if len(ofTitle) > 0 {
		return nil, fail(exitUsage, "name one of the copies of %s by its id:\n%s", ofTitle[0].Record.Title, copyLines(ofTitle))
	}
	return nil, fail(
		exitNotFound,
		"there is no copy %q: it is no folder, no archive, and no copy's id or name; endroit copies lists them",
		text,
	)
}

func copyLines(list []*copies.Copy) string {
	var lines []string
	for i, c := range list {
		if i == 12 {
			lines = append(lines, fmt.Sprintf("  and %d more; endroit copies lists them", len(list)-i))
			break
		}
		r := c.Record
		line := fmt.Sprintf(
			"  %s  %s  %s", r.ID[:shortID], r.Taken.Local().Format("2006-01-02 15:04:05"),
			phrase.Count(len(r.Files), "file", "files"),
		)
		if r.Name != "" {
			line += "  " + r.Name
		}
		lines = append(lines, line)
	}
	return strings.Join(lines, "\n")
}
