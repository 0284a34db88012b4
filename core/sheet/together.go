package sheet

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strings"

	"endroit/core/place"
)

// Clash is why a sheet cannot stand beside the others.
type Clash struct {
	Field  string `json:"field"`
	Sheet  string `json:"sheet"` // the other's id
	Reason string `json:"reason"`
}

func (c Clash) Error() string { return c.Field + ": " + c.Reason }

// Clashes lists what keeps a sheet from standing beside others: a place or a
// store page's address that another claims, launchers that hand over in a
// circle. Another with the same id is the one that it replaces.
func Clashes(s *Sheet, others []*Sheet) []Clash {
	out := []Clash{}
	for _, o := range others {
		if o.ID == s.ID {
			continue
		}
		for i, a := range s.Addresses {
			for _, b := range o.Addresses {
				x, _, _ := strings.Cut(a, "{ref}")
				y, _, _ := strings.Cut(b, "{ref}")
				if strings.HasPrefix(x, y) || strings.HasPrefix(y, x) {
					out = append(out, Clash{
						fmt.Sprintf("addresses[%d]", i),
						o.ID,
						fmt.Sprintf("%s is an address of %s too (%s)", a, o.Name, b),
					})
				}
			}
		}
		for _, system := range slices.Sorted(mapKeys(s.Systems)) {
			for i, h := range s.Systems[system].Home {
				if slices.Contains(o.Systems[system].Home, h) {
					out = append(out, Clash{
						fmt.Sprintf("systems.%s.home[%d]", system, i),
						o.ID,
						fmt.Sprintf("%s is installed in %s too", o.Name, h),
					})
				}
			}
		}
	}
	if way := Circle(s, others); way != nil {
		out = append(out, Clash{
			"systems." + way.System + ".starts",
			way.Way[1],
			"launchers hand over in a circle: " + strings.Join(way.Way, ", then "),
		})
	}
	return out
}

// HandedRound is a circle of launchers that hand over to each other on a system.
type HandedRound struct {
	System string
	Way    []string // ids, the first again at the end
}

// Circle finds whether a sheet's launcher hands over, by way of others, back to
// itself; nil if not.
func Circle(s *Sheet, others []*Sheet) *HandedRound {
	byID := map[string]*Sheet{}
	for _, o := range others {
		byID[o.ID] = o
	}
	byID[s.ID] = s
	for _, system := range slices.Sorted(mapKeys(s.Systems)) {
		passed := map[string]bool{}
		var from func(id string, way []string) []string
		from = func(id string, way []string) []string {
			o := byID[id]
			if o == nil || passed[id] {
				return nil
			}
			passed[id] = true
			for _, h := range o.Systems[system].Starts {
				next := append(slices.Clone(way), h.Launcher)
				if h.Launcher == s.ID {
					return next
				}
				if round := from(h.Launcher, next); round != nil {
					return round
				}
			}
			return nil
		}
		if way := from(s.ID, []string{s.ID}); way != nil {
			return &HandedRound{system, way}
		}
	}
	return nil
}

// Difference is one entry that differs between two states of a sheet.
type Difference struct {
	Field  string `json:"field"`
	Before string `json:"before,omitempty"` // empty if it is new
	After  string `json:"after,omitempty"`  // empty if it is gone
}

// Compare lists what differs between the present sheet, nil if there is none,
// and the next.
func Compare(now, next *Sheet) []Difference {
	before, after := map[string]string{}, map[string]string{}
	if now != nil {
		flatten("", toTree(now), before)
	}
	flatten("", toTree(next), after)
	out := []Difference{}
	for field, text := range after {
		if before[field] != text {
			out = append(out, Difference{field, before[field], text})
		}
	}
	for field, text := range before {
		if _, still := after[field]; !still {
			out = append(out, Difference{Field: field, Before: text})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Field < out[j].Field })
	return out
}

func toTree(s *Sheet) (tree any) {
	if raw, err := json.Marshal(s); err == nil {
		_ = json.Unmarshal(raw, &tree)
	}
	return tree
}

func flatten(at string, tree any, into map[string]string) {
	switch t := tree.(type) {
	case map[string]any:
		for k, v := range t {
			flatten(strings.TrimPrefix(at+"."+k, "."), v, into)
		}
	case []any:
		for i, v := range t {
			flatten(fmt.Sprintf("%s[%d]", at, i), v, into)
		}
	default:
		into[at] = fmt.Sprint(t)
	}
}

// Row is one thing that a sheet tells, for reading.
type Row struct {
	What  string `json:"what"`
	Where string `json:"where"` // a path as it usually lies, or what is read
	How   string `json:"how"`   // what in it counts
}

// Describe lists what a sheet tells of a system, in the order of the job. Paths
// are written as they usually lie.
func (s *Sheet) Describe(system string) []Row {
	y, ok := s.Systems[system]
	if !ok {
		return nil
	}
	var rows []Row
	for _, h := range y.Home {
		if l, err := place.Parse(h); err == nil {
			rows = append(rows, Row{"installed in", cmp.Or(l.Usual(system, "native"), h), h})
		}
	}
	if len(y.Home) == 0 {
		rows = append(rows, Row{"installed in", "no launcher: plain installers", ""})
	}
	source := func(what string, x Source, how ...string) {
		parts := []string{}
		if x.As != "" {
			parts = append(parts, "read as "+x.As)
		}
		if x.Each != "" {
			parts = append(parts, "each "+x.Each)
		}
		for i := 0; i+1 < len(how); i += 2 {
			if how[i+1] != "" {
				parts = append(parts, how[i]+" "+how[i+1])
			}
		}
		where := x.Files
		if len(x.Keys) > 0 {
			keys := make([]string, len(x.Keys))
			for i, k := range x.Keys {
				keys[i] = strings.TrimSuffix(strings.ReplaceAll(k, "/", `\`), `\`)
			}
			where = strings.Join(keys, "\n")
		}
		rows = append(rows, Row{what, where, strings.Join(parts, ", ")})
	}
	if x := y.Libraries; x != nil {
		source("libraries", x.Source, "folder", x.Folder)
	}
	if x := y.Titles; x != nil {
		source(
			"installed titles", x.Source, "reference", x.Ref, "name", x.Name, "version", x.Version, "folder",
			x.Folder, "below", x.Below,
		)
	}
	if x := y.Inside; x != nil {
		source("in a title's own folder", x.Source, "reference", x.Ref, "name", x.Name, "version", x.Version)
	}
	if x := y.Prefixes; x != nil {
		how := "in the library of the title"
		if x.User != "" {
			how += "; the user inside is called " + x.User
		}
		rows = append(rows, Row{"prefixes", x.Folder, how})
	}
	if x := y.Accounts; x != nil {
		rows = append(rows, Row{"accounts", x.Folder, "a folder for each account"})
		if k := x.Known; k != nil {
			source("account in use", k.Source, "account", k.ID, "name", k.Name, "in use", k.InUse)
		}
	}
	if x := y.Cloud; x != nil {
		source("switch for cloud copies", x.Source, "on", x.On)
		if t := x.Titles; t != nil {
			source("switch for cloud copies of a title", t.Source, "reference", t.Ref, "on", t.On, "folder", t.Folder)
		}
	}
	for _, x := range y.Starts {
		source("hands over to "+x.Launcher, x.Source, "reference", x.Ref)
	}
	return rows
}

// InsidePrefix says where an edition's prefix usually lies, in the launcher's own
// library, and who the user is inside; empty where the sheet does not tell.
func (s *Sheet) InsidePrefix(system, ref string) place.Inside {
	y := s.Systems[system]
	if y.Prefixes == nil || len(y.Home) == 0 || ref == "" {
		return place.Inside{}
	}
	home, err := place.Parse(y.Home[0])
	if err != nil || home.ShellRoot() == "" {
		return place.Inside{}
	}
	path := home.ShellRoot()
	for _, name := range strings.Split(strings.TrimSuffix(strings.ReplaceAll(y.Prefixes.Folder, "{ref}", ref), "/"), "/") {
		if strings.ContainsAny(name, "*?{}%") {
			return place.Inside{User: y.Prefixes.User}
		}
		path += "/" + place.ShellQuote(name)
	}
	return place.Inside{Prefix: path, User: y.Prefixes.User}
}
