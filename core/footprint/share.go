package footprint

import (
	"iter"
	"regexp"
	"slices"
	"sort"
	"strings"
	"sync"

	"endroit/core/place"
	"endroit/core/trace"
)

// Share returns the footprint as it may leave the machine: only files below the
// title's own places and of the kinds that a reviewer needs, without paths, and
// with what the Anonymizer replaces. Files that are left out stay counted.
//
// The title's own places are the folders, right below their anchors, in which
// something of interest lies; below the installation, only what was written.
func (f *Footprint) Share(leaving *Anonymizer) *Footprint { return f.share(leaving, f.shared()) }

// ShareIn is as Share, with the files that lie in some locations alone, of whatever kind.
func (f *Footprint) ShareIn(leaving *Anonymizer, locations []place.Location) *Footprint {
	in := func(text string) bool {
		at, err := place.ParseAny(text)
		return err == nil && text != "" && slices.ContainsFunc(locations, func(l place.Location) bool {
			if l.Anchor != at.Anchor {
				return false
			}
			_, covered := l.Match(at.Names(), nil)
			return covered
		})
	}
	out := f.share(leaving, func(yield func(int) bool) {
		for i, x := range f.Files {
			if in(x.Place) && !yield(i) {
				return
			}
		}
	})
	for _, at := range f.Looked() {
		if in(at) && len(out.Missed) < maxMissed {
			out.Missed = append(out.Missed, leaving.Place(at))
		}
	}
	return out
}

// maxMissed bounds how many places are shared in which a file was looked for in vain.
const maxMissed = 1000

// ShareWritten is as Share, with the files alone that were written and stayed.
func (f *Footprint) ShareWritten(leaving *Anonymizer) *Footprint {
	return f.share(leaving, func(yield func(int) bool) {
		for i, x := range f.Files {
			if x.StaysWritten() && !yield(i) {
				return
			}
		}
	})
}

// StaysWritten reports whether it was written and stayed, in a place that locations can name.
func (f File) StaysWritten() bool {
	if !f.Written() || f.After.Is != trace.IsFile || f.Place == "" || f.Kind == System {
		return false
	}
	_, err := place.Parse(f.Place)
	return err == nil
}

func (f *Footprint) share(leaving *Anonymizer, files iter.Seq[int]) *Footprint {
	out := *f
	out.Self = nil
	out.Files, out.Missed, out.looked = []File{}, nil, nil
	hide := leaving.Text
	sent := map[string]string{} // places as they are sent, by names
	for i := range files {
		x := f.Files[i]
		name := x.Name()
		x.Path, x.Inside, x.Reached = "", "", ""
		if x.Place = leaving.Place(x.Place); x.Place == "" {
			continue
		}
		x.Reasons, x.Again, x.Findings = nil, nil, slices.Clone(x.Findings)
		for i := range x.Findings {
			x.Findings[i].Word = hide(x.Findings[i].Word)
		}
		x.Programs = each(x.Programs, hide)
		x.Near = each(x.Near, hide)
		if !x.ofInterest() {
			x.Lane = nil
		}
		sent[name] = x.Place
		leave(&x.Before)
		leave(&x.After)
		out.Files = append(out.Files, x)
	}
	thin(out.Files)
	out.Corrections = nil
	for _, c := range f.Corrections {
		if at := sent[c.File]; at != "" {
			c = Correction{File: at, Kind: c.Kind, Was: c.Was, Because: hide(c.Because), Made: c.Made}
			out.Corrections = append(out.Corrections, c)
		}
	}
	out.Programs = each(f.Programs, hide)
	out.Cues = append(out.Cues[:0:0], f.Cues...)
	for i := range out.Cues {
		out.Cues[i].Word = hide(out.Cues[i].Word)
	}
	out.Gaps = append(out.Gaps[:0:0], f.Gaps...)
	for i := range out.Gaps {
		out.Gaps[i].What = hide(out.Gaps[i].What)
	}
	sort.SliceStable(out.Gaps, func(i, j int) bool { return out.Gaps[i].At < out.Gaps[j].At })
	return &out
}

// shared are the files that are sent, by index: those in the title's own places.
func (f *Footprint) shared() iter.Seq[int] {
	own := map[string]bool{}
	for _, x := range f.Files {
		if x.ofInterest() && x.Place != "" {
			own[topOf(x.Place)] = true
		}
	}
	return func(yield func(int) bool) {
		for i, x := range f.Files {
			if x.Place == "" || !own[topOf(x.Place)] || strings.HasPrefix(x.Place, string(place.Install)+":") && !x.Written() {
				continue
			}
			if !yield(i) {
				return
			}
		}
	}
}

// ofInterest reports whether a file is of interest, or was before a person said
// otherwise: a reviewer has to see that.
func (f File) ofInterest() bool {
	return f.Kind.OfInterest() || f.Judged != nil && f.Judged.Kind.OfInterest()
}

// HidePlace replaces what identifies the contributor in a location, except in the name
// of the title's own folder below a shared anchor: that is a title that happens to have
// the account's name.
func (f *Footprint) HidePlace(at string) string { return hidePlace(at, newHider(f.Self)) }

func hidePlace(at string, hide func(string) string) string {
	anchor, rest, _ := strings.Cut(at, ":")
	top := ""
	for range TitleDepth(place.Anchor(anchor)) {
		first, more, found := strings.Cut(rest, "/")
		if found {
			first += "/"
		}
		top, rest = top+first, more
	}
	return anchor + ":" + top + hide(rest)
}

// TitleDepth is how many names below an anchor single a title out: in the registry
// HKEY_CURRENT_USER, Software and the title's; below folders that are a title's own,
// none.
func TitleDepth(a place.Anchor) int {
	switch d, ok := place.Define(a); {
	case a == place.Registry:
		return 3
	case ok && d.Shared:
		return 1
	}
	return 0
}

// topOf is the anchor with the first name below it, in the registry the first three;
// below an installation, the anchor alone.
func topOf(at string) string {
	anchor, rest, _ := strings.Cut(at, ":")
	if anchor == string(place.Install) {
		return anchor
	}
	names := strings.Split(rest, "/")
	return anchor + ":" + strings.Join(names[:min(len(names), max(1, TitleDepth(place.Anchor(anchor))))], "/")
}

func each(list []string, f func(string) string) []string {
	if list == nil {
		return nil
	}
	out := make([]string, len(list))
	for i, s := range list {
		out[i] = f(s)
	}
	return out
}

// AccountShape is what a launcher's account number usually looks like: seven
// digits or more, or sixteen hexadecimal digits or more, as a name of its own.
var AccountShape = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(
		`^([0-9]{7,}|[0-9a-fA-F]{16,}|[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12})$`,
	)
})

var accountInText = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\b([0-9]{7,}|[0-9a-fA-F]{16,})\b`) })

// newHider replaces what tells who a person is, wherever it stands as a word of
// its own.
func newHider(s *Self) func(string) string {
	type pair struct {
		find *regexp.Regexp
		put  string
	}
	var pairs []pair
	add := func(text, put string) {
		if len(text) >= 2 && !strings.EqualFold(text, strings.Trim(put, "{}")) {
			pairs = append(pairs, pair{regexp.MustCompile(`(?i)(^|[^\pL\pN])` + regexp.QuoteMeta(text) + `($|[^\pL\pN])`), put})
		}
	}
	for _, s := range s.Everybody() {
		add(s.Home, "~")
		for _, a := range append([]string{s.Account}, s.Accounts...) {
			add(a, "{account}")
		}
		add(s.User, "{user}")
		add(s.Inside, "{user}")
		add(s.Host, "{host}")
		for _, name := range s.Chosen {
			add(name, "{profile}")
		}
	}
	return func(text string) string {
		for _, p := range pairs {
			for range 2 { // neighbours share the character between them
				text = p.find.ReplaceAllString(text, "${1}"+p.put+"${2}")
			}
		}
		return accountInText().ReplaceAllStringFunc(text, func(number string) string {
			if slices.ContainsFunc(s.Everybody(), func(s *Self) bool { return slices.Contains(s.Program, number) }) {
				return number
			}
			return "{account}"
		})
	}
}
