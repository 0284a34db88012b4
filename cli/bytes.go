package cli

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/dustin/go-humanize"
	"github.com/urfave/cli/v3"

	"endroit/core/content"
	"endroit/core/phrase"
	"endroit/tracefiles"
)

func (a *app) bytes() *cli.Command {
	return command(&cli.Command{
		Name: "bytes", Usage: "look inside a file: bytes and text, what is in it, what differs, checksums",
		Commands: []*cli.Command{a.bytesSet()},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "at", Usage: "show bytes from this `OFFSET`; negative from the end"},
			&cli.IntFlag{Name: "length", Value: shownBytes, Usage: "show so many: `N`"},
			&cli.BoolFlag{Name: "strings", Usage: "list all strings"},
			&cli.StringSliceFlag{Name: "against", Usage: "compare with this file or version: `OTHER`"},
			&cli.BoolFlag{Name: "hex", Usage: "compare texts byte by byte too"},
			&cli.BoolFlag{Name: "sums", Usage: "look for checksums"},
			&cli.StringSliceFlag{Name: "sum-at", Usage: "also at this `OFFSET`; negative from the end"},
			&cli.StringSliceFlag{Name: "header", Usage: "also over what follows a header of this `SIZE`"},
			&cli.StringFlag{Name: "notes", Usage: "read the file by these `NOTES` on its structure"},
			&cli.StringFlag{
				Name:  "into",
				Usage: "if it fits, put the notes to the location of this `DRAFT` that the file lies in",
			},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one FILE")
			if err != nil {
				return err
			}
			if c.String("into") != "" && c.String("notes") == "" {
				return fail(exitUsage, "--into takes --notes NOTES, which it puts there")
			}
			if c.String("notes") != "" {
				return a.readByNotes(ctx, c, name)
			}
			return a.runBytes(c, name)
		},
	}, find, "bytes")
}

// shownBytes is how many bytes are shown by default.
const shownBytes = 256

// offset reads an offset into n bytes; negative ones are from the end.
func offset(flag, text string, n int) (int, error) {
	at, err := strconv.ParseInt(text, 0, 64)
	if err != nil || at > int64(n) || -at > int64(n) {
		return 0, fail(exitUsage, "--%s %q is not an offset in %s; write it like 16, 0x10 or -4", flag, text, bytesExactly(n))
	}
	return int(at), nil
}

func bytesExactly(n int) string { return phrase.Count(n, "byte", "bytes") }

func (a *app) runBytes(c *cli.Command, name string) error {
	first, err := tracefiles.ReadContent(name)
	if err != nil {
		return err
	}
	var others []tracefiles.Content
	for _, other := range c.StringSlice("against") {
		o, err := tracefiles.ReadContent(other)
		if err != nil {
			return err
		}
		others = append(others, o)
	}
	switch {
	case c.Bool("sums"):
		return a.showSums(c, first, others)
	case len(others) > 1:
		return fail(exitUsage, "--against compares two files; only --sums takes several")
	case len(others) == 1:
		return a.showDifferences(c, first, others[0])
	}
	return a.showBytes(c, first)
}

func (a *app) showBytes(c *cli.Command, o tracefiles.Content) error {
	facts := content.Examine(o.Data, o.Changed)
	from, length := 0, int(c.Int("length"))
	if length < 0 {
		return fail(exitUsage, "--length %d is negative", length)
	}
	if text := c.String("at"); text != "" {
		var err error
		if from, err = offset("at", text, len(o.Data)); err != nil {
			return err
		}
		if from < 0 {
			from += len(o.Data)
		}
	}
	to := min(len(o.Data), from+length)
	if c.Bool("json") {
		return a.json(map[string]any{"name": o.Name, "facts": facts, "at": from, "bytes": o.Data[from:to]})
	}
	a.say("%s", shown(o.Name))
	a.say("  %s, last changed %s", bytesExactly(len(o.Data)), o.Changed.Local().Format("2006-01-02 15:04:05"))
	a.say("  looks like: %s; encoding: %s", facts.Looks, facts.Encoding)
	if len(o.Data) == 0 {
		return nil
	}
	if c.String("at") == "" && !c.IsSet("length") {
		a.sayFacts(facts, c.Bool("strings"))
	}
	if c.Bool("strings") {
		return nil
	}
	a.say("")
	a.dump(o.Data, from, to)
	if to < len(o.Data) {
		a.say("  %s more: --at %d goes on", bytesExactly(len(o.Data)-to), to)
	}
	return nil
}

// The number of facts of a kind that are shown without being asked for.
const (
	factsShown   = 8
	stringsShown = 12
)

func (a *app) sayFacts(f content.Facts, allStrings bool) {
	if len(f.Entropy) > 0 {
		a.say("\nentropy (8 bits per byte is random)")
		for i, p := range f.Entropy {
			if i == factsShown {
				a.say("  and %s", phrase.Count(len(f.Entropy)-i, "more stretch", "more stretches"))
				break
			}
			a.say("  %s to %s  %.2f bits, %s", hexOffset(p.From), hexOffset(p.To), p.Bits, p.Says)
		}
	}
	a.sayList("found inside", f.Inside, factsShown, 0)
	a.sayList("numbers that may mean something", f.Numbers, factsShown, 0)
	most := stringsShown
	if allStrings {
		most = len(f.Strings)
	}
	a.sayList("strings", f.Strings, most, f.More)
}

func (a *app) sayList(title string, list []content.Fact, most, more int) {
	if len(list) == 0 {
		return
	}
	a.say("\n%s", title)
	for _, f := range list[:min(len(list), most)] {
		value := ""
		if f.Value != "" {
			value = ": " + f.Value
		}
		a.say("  %s  %s%s", hexOffset(f.At), f.What, shown(value))
	}
	if more += len(list) - min(len(list), most); more > 0 {
		option := ""
		if title == "strings" {
			option = " (--strings)"
		}
		a.say("  and %d more%s", more, option)
	}
}

func hexOffset(at int) string { return fmt.Sprintf("0x%04X", at) }

// rowBytes is how many bytes stand in a row.
const rowBytes = 16

// dump shows bytes by sixteen in a row, beside the letters that they are.
func (a *app) dump(data []byte, from, to int) {
	for at := from; at < to; at += rowBytes {
		row := data[at:min(at+rowBytes, to)]
		a.say("  %08X  %-*s  %s", at, 3*rowBytes, spaced(row), letters(row))
	}
}

func spaced(b []byte) string {
	var out strings.Builder
	for i, x := range b {
		if i == rowBytes/2 {
			out.WriteByte(' ')
		}
		fmt.Fprintf(&out, "%02x ", x)
	}
	return strings.TrimRight(out.String(), " ")
}

func letters(b []byte) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r > '~' {
			return '.'
		}
		return r
	}, string(latin(b)))
}

// latin makes each byte a character of its own.
func latin(b []byte) []rune {
	r := make([]rune, len(b))
	for i, x := range b {
		r[i] = rune(x)
	}
	return r
}

// differencesShown is how many differences are listed.
const differencesShown = 40

func (a *app) showDifferences(c *cli.Command, x, y tracefiles.Content) error {
	list := content.Compare(x.Data, y.Data)
	lines, ok := content.CompareLines(x.Data, y.Data)
	if c.Bool("json") {
		type shownDifference struct {
			At     int    `json:"at"`
			Length int    `json:"length"`
			ToAt   int    `json:"to_at"`
			ToLen  int    `json:"to_length"`
			Was    []byte `json:"was"`
			Is     []byte `json:"is"`
		}
		out := []shownDifference{}
		for _, d := range list {
			out = append(out, shownDifference{d.A, d.ALen, d.B, d.BLen, x.Data[d.A : d.A+d.ALen], y.Data[d.B : d.B+d.BLen]})
		}
		answer := map[string]any{"from": x.Name, "to": y.Name, "differences": out}
		if ok {
			answer["lines"] = append([]content.LineDifference{}, lines...)
		}
		return a.json(answer)
	}
	a.say("- %s, %s", shown(x.Name), bytesExactly(len(x.Data)))
	a.say("+ %s, %s", shown(y.Name), bytesExactly(len(y.Data)))
	if len(list) == 0 {
		a.say("the files are identical")
		return nil
	}
	if ok && !c.Bool("hex") {
		a.sayLines(lines)
		return nil
	}
	changed, put, gone := 0, 0, 0
	for _, d := range list {
		both := min(d.ALen, d.BLen)
		changed += both
		put += d.BLen - both
		gone += d.ALen - both
	}
	var sums []string
	for _, x := range []struct {
		n    int
		what string
	}{{changed, "changed"}, {put, "inserted"}, {gone, "removed"}} {
		if x.n > 0 {
			sums = append(sums, bytesExactly(x.n)+" "+x.what)
		}
	}
	a.say("%s: %s", phrase.Count(len(list), "place differs", "places differ"), strings.Join(sums, ", "))
	for i, d := range list {
		if i == differencesShown {
			a.say("\nand %s (--json has them all)", phrase.Count(len(list)-i, "more place", "more places"))
			break
		}
		a.say(
			"\nat %s%s, %s%s", hexOffset(d.A), otherOffset(d), kindOf(d),
			numbersOf(x.Data[d.A:d.A+d.ALen], y.Data[d.B:d.B+d.BLen]),
		)
		a.sayPart("-", x.Data[d.A:d.A+d.ALen])
		a.sayPart("+", y.Data[d.B:d.B+d.BLen])
	}
	return nil
}

// sayLines prints what differs between two texts.
func (a *app) sayLines(list []content.LineDifference) {
	gone, put := 0, 0
	for _, d := range list {
		gone += len(d.Was)
		put += len(d.Is)
	}
	a.say(
		"%s: %s removed, %s added (bytes: --hex)", phrase.Count(len(list), "place differs", "places differ"),
		phrase.Count(gone, "line", "lines"), phrase.Count(put, "line", "lines"),
	)
	for i, d := range list {
		if i == differencesShown {
			a.say("\nand %s (--json has them all)", phrase.Count(len(list)-i, "more place", "more places"))
			break
		}
		other := ""
		if d.From != d.To {
			other = fmt.Sprintf(" (%d in the other)", d.To)
		}
		a.say("\nat line %d%s", d.From, other)
		a.sayTextLines("-", d.Was)
		a.sayTextLines("+", d.Is)
	}
}

// partLines is how many lines of a difference are shown.
const partLines = 20

func (a *app) sayTextLines(sign string, lines []string) {
	for i, line := range lines {
		if i == partLines {
			a.say("  %s and %s", sign, phrase.Count(len(lines)-i, "more line", "more lines"))
			return
		}
		a.say("  %s %s", sign, shown(line))
	}
}

func otherOffset(d content.Difference) string {
	if d.A == d.B {
		return ""
	}
	return " (" + hexOffset(d.B) + " in the other)"
}

func kindOf(d content.Difference) string {
	switch {
	case d.ALen == 0:
		return bytesExactly(d.BLen) + " inserted"
	case d.BLen == 0:
		return bytesExactly(d.ALen) + " removed"
	case d.ALen == d.BLen:
		return bytesExactly(d.ALen) + " changed"
	}
	return fmt.Sprintf("%s for %d", bytesExactly(d.BLen), d.ALen)
}

// numbersOf reads a short difference as a number.
func numbersOf(was, is []byte) string {
	if len(was) != len(is) || len(was) > 8 {
		return ""
	}
	number := func(b []byte) uint64 {
		var eight [8]byte
		copy(eight[:], b)
		return binary.LittleEndian.Uint64(eight[:])
	}
	order := ", little-endian"
	if len(was) == 1 {
		order = ""
	}
	return fmt.Sprintf(": as a number %d, then %d%s", number(was), number(is), order)
}

// partRows is how many rows of a difference are shown.
const partRows = 4

func (a *app) sayPart(sign string, b []byte) {
	for i := 0; i < len(b); i += rowBytes {
		if i == partRows*rowBytes {
			a.say("  %s and %s", sign, bytesExactly(len(b)-i)+" more")
			return
		}
		row := b[i:min(i+rowBytes, len(b))]
		a.say("  %s %-*s  %s", sign, 3*rowBytes, spaced(row), letters(row))
	}
}

func (a *app) showSums(c *cli.Command, first tracefiles.Content, others []tracefiles.Content) error {
	o := content.SumOptions{}
	for _, text := range c.StringSlice("sum-at") {
		at, err := offset("sum-at", text, len(first.Data))
		if err != nil {
			return err
		}
		o.At = append(o.At, at)
	}
	for _, text := range c.StringSlice("header") {
		size, err := offset("header", text, len(first.Data))
		if err != nil {
			return err
		}
		o.Headers = append(o.Headers, size)
	}
	found := content.FindSums(first.Data, o)
	others = slices.DeleteFunc(others, func(other tracefiles.Content) bool {
		same := bytes.Equal(other.Data, first.Data)
		if same {
			a.tell("endroit: %s has the same content, so it rules nothing out; use a file that differs", shown(other.Name))
		}
		return same
	})
	var lists [][]content.SumMatch
	for _, other := range others {
		lists = append(lists, content.FindSums(other.Data, o))
	}
	found = content.CommonSums(found, lists...)
	slices.SortStableFunc(found, func(x, y content.SumMatch) int { return cmp.Compare(x.Chance, y.Chance) })
	if c.Bool("json") {
		return a.json(map[string]any{"name": first.Name, "sums": append([]content.SumMatch{}, found...)})
	}
	in := shown(first.Name)
	if len(others) > 0 {
		in += " and " + phrase.Count(len(others), "other file", "other files")
	}
	weak := 0
	for _, m := range found {
		if m.Chance > content.ByChance {
			weak++
			continue
		}
		a.say("%s in %s", m.Algorithm, in)
		a.say("  stored at %s%s, %s: %s", hexOffset(m.At), fromEnd(m, len(first.Data)), m.Stored, m.Value)
		a.say("  over %s to %s: %s", hexOffset(m.From), hexOffset(m.To), describeRange(m, len(first.Data)))
		a.say("  %s", chanceOf(m.Chance))
	}
	if len(found) == weak {
		where := "in " + shown(first.Name)
		if len(others) > 0 {
			where = "that holds in all of " + shown(first.Name) + " and " + phrase.Count(len(others), "other file", "other files")
		}
		a.say("no checksum was found %s, at the usual places and over the usual ranges; --sum-at and --header add others", where)
	}
	if weak > 0 {
		a.say(
			"not listed: %s with few bits, likely coincidences; --against OTHER tells more, --json lists them",
			phrase.Count(weak, "match", "matches"),
		)
	}
	return nil
}

func fromEnd(m content.SumMatch, n int) string {
	if m.FromEnd {
		return fmt.Sprintf(" (%s before the end)", bytesExactly(n-m.At))
	}
	return ""
}

func describeRange(m content.SumMatch, n int) string {
	switch {
	case m.Zeroed:
		return "the whole file, with the checksum as zeros"
	case m.From == 0 && m.To == n:
		return "the whole file except the checksum"
	case m.To == m.At && m.From == 0:
		return "all before it"
	case m.From == m.At+m.Length && m.To == n:
		return "all behind it"
	case m.To == m.At:
		return fmt.Sprintf("what follows a header of %s, up to it", bytesExactly(m.From))
	}
	return fmt.Sprintf("what follows a header of %s", bytesExactly(m.From))
}

func chanceOf(chance float64) string {
	if chance < 1e-9 {
		return "not a coincidence"
	}
	return fmt.Sprintf("a coincidence in one of %s files", humanize.Comma(int64(1/chance)))
}
