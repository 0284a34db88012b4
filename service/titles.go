package service

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

func (s *Service) searchTitles(c *echo.Context) error {
	offset, limit, err := page(c)
	if err != nil {
		return err
	}
	text := c.QueryParam("q")
	if len(text) > 200 {
		return answer.Invalid("q", "it is longer than 200 bytes")
	}
	titles, because, err := s.find(c.Request().Context(), strings.TrimSpace(text), int(offset), limit+1)
	if err != nil {
		return err
	}
	next := ""
	if len(titles) > limit {
		titles, next = titles[:limit], cursorTo(offset+int64(limit))
	}
	items := []wire.TitleFound{}
	for _, t := range titles {
		f := wire.TitleFound{
			ID:        t.ID,
			Name:      t.Name,
			Year:      t.Year,
			Maker:     t.Maker,
			Variants:  t.Variants,
			Locations: t.Locations,
			Stores:    append([]string{}, t.Stores...),
			Systems:   append([]string{}, t.Systems...),
			Because:   because(t),
		}
		items = append(items, f)
	}
	return c.JSON(http.StatusOK, wire.Page[wire.TitleFound]{Items: items, Next: next})
}

// find looks for titles by the address of a store's page, by a store's reference, and by
// name. The function that comes with them says why a title is among them; it says nothing
// where the name tells.
func (s *Service) find(
	ctx context.Context, text string, offset, limit int,
) ([]store.Listed, func(store.Listed) string, error) {
	var sheets []*sheet.Sheet
	sold := store.Reference{Ref: text}
	address := false
	loadSheets := func() error {
		all, err := s.store.Sheets(ctx)
		sheets = readable(all)
		return err
	}
	if strings.Contains(text, "/") { // it can be an address
		if err := loadSheets(); err != nil {
			return nil, nil, err
		}
		for _, x := range sheets {
			if ref := x.RefIn(text); ref != "" {
				sold, address = store.Reference{Store: x.StoreID(), Ref: ref}, true
			}
		}
	}
	storeName := func(id string) string {
		for _, x := range sheets {
			if x.StoreID() == id {
				return x.Name
			}
		}
		return id
	}
	if text != "" && !strings.Contains(text, " ") {
		titles, err := s.store.Sold(ctx, sold, offset, limit)
		if err == nil && len(titles) > 0 && sheets == nil {
			err = loadSheets()
		}
		if err != nil || len(titles) > 0 || address {
			return titles, func(t store.Listed) string {
				if address {
					return "the address is its page at " + storeName(sold.Store)
				}
				return text + " is its reference at " + storeName(soldAs(t, text))
			}, err
		}
	}
	titles, err := s.store.Search(ctx, text, offset, limit)
	folded := manifest.Fold(text)
	return titles, func(t store.Listed) string {
		for _, n := range (&manifest.Title{Name: t.Name, Names: t.Names}).AllNames() {
			if strings.Contains(manifest.Fold(n), folded) {
				if n != t.Name && !strings.Contains(manifest.Fold(t.Name), folded) {
					return "it is also called " + n
				}
				return ""
			}
		}
		return "its name is similar"
	}, err
}

// soldAs is a store that sells a title under a reference.
func soldAs(t store.Listed, ref string) string {
	for _, e := range t.Editions {
		if e.Ref == ref {
			return e.Store
		}
	}
	return ""
}

// title is the one that is asked for, or what it was merged into.
func (s *Service) title(c *echo.Context) (*record.Title, error) {
	t, err := contribution.Follow(c.Request().Context(), s.store.World(), c.Param("id"))
	if err == contribution.ErrNoTitle {
		return nil, store.ErrNotFound
	}
	return t, err
}

func (s *Service) showTitle(c *echo.Context) error {
	t, err := s.title(c)
	if err != nil {
		return err
	}
	shower, err := s.shower(c)
	if err != nil {
		return err
	}
	out := wire.Title{
		ID: t.ID, Name: t.Name, Names: []string{}, Year: t.Year, Maker: t.Maker, Editions: []wire.Edition{}, Variants: []wire.VariantShown{},
	}
	for _, n := range t.Names {
		out.Names = append(out.Names, n.String())
	}
	for _, e := range t.Editions {
		out.Editions = append(out.Editions, wire.Edition{Store: e.Store, Ref: e.Ref, Versions: append([]string{}, e.Versions...)})
	}
	var all []*wire.LocationShown
	var absences [][]wire.Evidence
	for _, v := range t.Variants {
		variant := v.Published()
		shown := wire.VariantShown{
			Name:      variant.String(),
			Store:     v.Store,
			Ref:       v.Ref,
			Launcher:  v.Launcher,
			OS:        v.OS,
			Runtime:   v.Runtime,
			Locations: []wire.LocationShown{},
		}
		var clouds []string
		for _, l := range v.Locations {
			shown.Locations = append(shown.Locations, shower.location(t, l, variant))
			if last := shown.Locations[len(shown.Locations)-1]; last.Usable {
				clouds = append(clouds, last.Cloud)
			}
		}
		shown.Cloud = standing.Coverage(clouds)
		if verdict, ok := t.AbsenceVerdict(v, shower.at); ok {
			where := standing.Where{OS: v.OS, Runtime: v.Runtime, Newest: (&manifest.Title{Editions: t.Editions}).Newest(v.Store, v.Ref, nil)}
			known := standing.Known{Standing: verdict.Standing, Version: verdict.Version, Then: verdict.Then}
			shown.Absence = &wire.AbsenceShown{
				Standing: verdict.Standing, Reason: verdict.Reason, Raise: append([]string{}, known.Raise(where)...),
				Evidence: shownEvidence(v.Evidence),
			}
			absences = append(absences, shown.Absence.Evidence)
		}
		out.Variants = append(out.Variants, shown)
	}
	for i := range out.Variants {
		for j := range out.Variants[i].Locations {
			all = append(all, &out.Variants[i].Locations[j])
		}
	}
	if err := shower.nameAll(c.Request().Context(), s.store, all); err != nil {
		return err
	}
	if err := name(c.Request().Context(), s.store, absences...); err != nil {
		return err
	}
	last, err := s.store.History(c.Request().Context(), t.ID, 0, 1)
	if err != nil {
		return err
	}
	if len(last) > 0 {
		out.Changes = last[0].Version
	}
	return c.JSON(http.StatusOK, out)
}

// showHistory lists what changed a title, the newest first.
func (s *Service) showHistory(c *echo.Context) error {
	cursor, limit, err := page(c)
	if err != nil {
		return err
	}
	t, err := s.title(c)
	if err != nil {
		return err
	}
	limit = min(limit, 50) // each is read whole
	list, err := s.store.History(c.Request().Context(), t.ID, int(cursor), limit+1)
	if err != nil {
		return err
	}
	items, next := []wire.HistoryEntry{}, ""
	at := time.Now()
	for i, x := range list {
		if i == limit {
			next = cursorTo(int64(list[i-1].Version))
			break
		}
		after, err := x.Record()
		if err != nil {
			return err
		}
		var before *record.Title
		if i+1 < len(list) {
			before, err = list[i+1].Record()
		} else {
			before, err = s.store.Version(c.Request().Context(), t.ID, x.Version-1)
		}
		if err != nil {
			return err
		}
		items = append(items, wire.HistoryEntry{
			Version: x.Version, Contribution: x.Contribution, Kind: x.Kind, Statement: x.Statement, By: x.By,
			ReviewedBy: x.ReviewedBy, Accepted: x.Accepted.UTC(), Revision: x.Revision, Changes: wire.Changes(between(before, after, at)),
		})
	}
	return c.JSON(http.StatusOK, wire.Page[wire.HistoryEntry]{Items: items, Next: next})
}

// between is what differs between two records, as they are published.
func between(before, after *record.Title, at time.Time) []manifest.Change {
	return (&contribution.Outcome{Titles: []contribution.TitleChange{{Before: before, After: after}}}).Changes(at)
}

// compareTitle tells what differs between two versions of a title, or between the states
// that two revisions have of it.
func (s *Service) compareTitle(c *echo.Context) error {
	t, err := s.title(c)
	if err != nil {
		return err
	}
	number := func(name string) (int, error) {
		n, err := strconv.Atoi(c.QueryParam(name))
		if err != nil || n < 0 || n > 1<<30 {
			return 0, answer.Invalid(name, "it must be a number, 0 or more")
		}
		if c.QueryParam("by") == "revision" {
			return s.store.VersionIn(c.Request().Context(), t.ID, n)
		}
		return n, nil
	}
	if by := c.QueryParam("by"); by != "" && by != "version" && by != "revision" {
		return answer.Invalid("by", "it must be version or revision")
	}
	out := wire.Comparison{}
	if out.From, err = number("from"); err != nil {
		return err
	}
	if out.To, err = number("to"); err != nil {
		return err
	}
	before, err := s.store.Version(c.Request().Context(), t.ID, out.From)
	if err != nil {
		return err
	}
	after, err := s.store.Version(c.Request().Context(), t.ID, out.To)
	if err != nil {
		return err
	}
	if after == nil {
		return answer.Invalid("to", "there was no such title then")
	}
	out.Changes = wire.Changes(between(before, after, time.Now()))
	return c.JSON(http.StatusOK, out)
}

// shower writes locations for a page, with what the launchers' sheets tell of where
// prefixes and accounts lie.
type shower struct {
	sheets map[string]*sheet.Sheet // by id
	at     time.Time
}

func (s *Service) shower(c *echo.Context) (*shower, error) {
	all, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return nil, err
	}
	f := &shower{map[string]*sheet.Sheet{}, time.Now()}
	for i := range all {
		if read, err := all[i].Read(); err == nil {
			f.sheets[all[i].ID] = read
		}
	}
	return f, nil
}

// evidence is shown without names at first: see names.
func shownEvidence(all []standing.Evidence) []wire.Evidence {
	out := []wire.Evidence{}
	for _, e := range all {
		out = append(out, wire.Evidence{
			Kind: e.Kind, Contribution: e.Contribution, By: e.Person, ReviewedBy: e.Reviewer,
			Accepted: e.Accepted.UTC(), Version: e.Version, Observer: e.Observer, Says: e.Says(),
		})
	}
	return out
}

// names puts people's names in place of their ids in evidence.
func (f *shower) names(ctx context.Context, db *store.Store, all []wire.LocationShown) error {
	var pointers []*wire.LocationShown
	for i := range all {
		pointers = append(pointers, &all[i])
	}
	return f.nameAll(ctx, db, pointers)
}

func (f *shower) nameAll(ctx context.Context, db *store.Store, all []*wire.LocationShown) error {
	var lists [][]wire.Evidence
	for _, l := range all {
		lists = append(lists, l.Evidence)
	}
	return name(ctx, db, lists...)
}

func name(ctx context.Context, db *store.Store, lists ...[]wire.Evidence) error {
	var ids []string
	for _, list := range lists {
		for _, e := range list {
			ids = append(ids, e.By, e.ReviewedBy)
		}
	}
	slices.Sort(ids)
	names, err := db.NamesOf(ctx, slices.Compact(ids))
	if err != nil {
		return err
	}
	for _, list := range lists {
		for i := range list {
			list[i].By, list[i].ReviewedBy = names[list[i].By], names[list[i].ReviewedBy]
		}
	}
	return nil
}

// evidence is shown with people's names.
func (s *Service) evidence(ctx context.Context, all []standing.Evidence) ([]wire.Evidence, error) {
	out := shownEvidence(all)
	return out, name(ctx, s.store, out)
}

// location shows a location, of a title whose editions are known.
func (f *shower) location(t *record.Title, l record.Location, v manifest.Variant) wire.LocationShown {
	verdict := t.Verdict(record.Variant{Store: v.Store, Ref: v.Ref}, l, f.at)
	newest := (&manifest.Title{Editions: t.Editions}).Newest(v.Store, v.Ref, l.Versions)
	known := standing.Known{Standing: verdict.Standing, Counts: verdict.Counts, Version: verdict.Version, Then: verdict.Then}
	out := wire.LocationShown{
		At:       l.At,
		Holds:    l.Holds,
		Belongs:  l.Belongs,
		Standing: verdict.Standing,
		Usable:   verdict.Standing.Usable(),
		Counts:   verdict.Counts,
		Reason:   verdict.Reason,
		Raise:    append([]string{}, known.Raise(standing.Where{OS: v.OS, Runtime: v.Runtime, Newest: newest})...),
		Hazards:  []wire.HazardShown{},
		Cloud:    standing.CloudSaid(l.Evidence),
		Versions: l.Versions.String(),
		Replaces: l.Replaces,
		Evidence: shownEvidence(l.Evidence),
		Notes:    l.Notes,
		Forms:    []place.Form{},
	}
	for _, h := range standing.Hazards(l.Evidence) {
		out.Hazards = append(out.Hazards, wire.HazardShown{Destroys: h.Destroyed > 0, Text: h.String()})
	}
	if l.Notes != nil {
		out.NotesSummary = l.Notes.Summary()
	}
	at, err := place.Parse(l.At)
	if err != nil {
		return out
	}
	out.Anchor, out.Pattern = string(at.Anchor), at.Pattern.String()
	d, _ := place.Define(at.Anchor)
	out.Means = d.On(v.OS, v.Runtime)
	out.Usual = at.Usual(v.OS, v.Runtime)
	out.Forms = at.Forms(v.OS, v.Runtime)
	if v.Runtime != "prefix" {
		return out
	}
	// The prefix is that of the launcher that laid the copy out.
	for _, id := range []string{v.Store, v.Launcher} {
		if s := f.sheets[id]; s != nil {
			if in := s.InsidePrefix(v.OS, v.Ref); in.Prefix != "" || in.User != "" {
				out.Forms = at.FormsIn(in)
				for i := range out.Forms {
					if out.Forms[i].For == place.ForShell {
						out.Forms[i].For = "a shell, if it lies in " + s.Name + "'s own library"
					}
				}
				break
			}
		}
	}
	return out
}
