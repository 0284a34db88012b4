package service

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/core/manifest"
	"endroit/core/place"
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
			ID:       t.ID,
			Name:     t.Name,
			Variants: len(t.Variants),
			Stores:   []string{},
			Systems:  []string{},
			Because:  because(t),
		}
		for _, v := range t.Variants {
			f.Locations += len(v.Locations)
			if v.Store != "" && !slices.Contains(f.Stores, v.Store) {
				f.Stores = append(f.Stores, v.Store)
			}
			if v.OS != "" && !slices.Contains(f.Systems, v.OS) {
				f.Systems = append(f.Systems, v.OS)
			}
		}
		items = append(items, f)
	}
	return c.JSON(http.StatusOK, wire.Page[wire.TitleFound]{Items: items, Next: next})
}

// similar is why a title is found whose name is not quite the text.
const similar = "its name is similar"

// find looks for titles by name, by a store's reference, by the address of a store's page
// and, where that finds none, by similar names. The function that comes with them says why
// a title is among them; it says nothing where the name tells.
func (s *Service) find(
	ctx context.Context, text string, offset, limit int,
) ([]manifest.Title, func(manifest.Title) string, error) {
	all, err := s.store.Sheets(ctx)
	if err != nil {
		return nil, nil, err
	}
	sheets := store.Readable(all)
	for _, x := range sheets {
		ref := x.RefIn(text)
		if ref == "" {
			continue
		}
		titles, err := s.store.Search(ctx, "", store.Reference{Store: x.StoreID(), Ref: ref}, offset, limit)
		return titles, func(manifest.Title) string { return "the address is its page at " + x.Name }, err
	}
	titles, err := s.store.Search(ctx, text, store.Reference{Ref: text}, offset, limit)
	if err != nil || len(titles) > 0 || offset > 0 {
		return titles, func(t manifest.Title) string {
			if id := soldAs(t, text); id != "" {
				for _, x := range sheets {
					if x.StoreID() == id {
						id = x.Name
					}
				}
				return text + " is its reference at " + id
			}
			if !strings.Contains(manifest.Fold(t.Name), manifest.Fold(text)) {
				return similar
			}
			return ""
		}, err
	}
	titles, err = s.store.Similar(ctx, text)
	return titles, func(manifest.Title) string { return similar }, err
}

// soldAs is a store that sells a title under a reference.
func soldAs(t manifest.Title, ref string) string {
	for _, v := range t.Variants {
		if ref != "" && v.Ref == ref {
			return v.Store
		}
	}
	return ""
}

func (s *Service) showTitle(c *echo.Context) error {
	t, err := s.store.Title(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	forms, err := s.forms(c)
	if err != nil {
		return err
	}
	variants := []wire.VariantShown{}
	for _, v := range t.Variants {
		shown := wire.VariantShown{
			Name:      v.String(),
			Store:     v.Store,
			Ref:       v.Ref,
			Launcher:  v.Launcher,
			OS:        v.OS,
			Runtime:   v.Runtime,
			Locations: []wire.LocationShown{},
		}
		for _, l := range v.Locations {
			shown.Locations = append(shown.Locations, forms.show(l, v))
		}
		variants = append(variants, shown)
	}
	return c.JSON(http.StatusOK, wire.Title{ID: t.ID, Name: t.Name, Variants: variants})
}

// forms writes locations for a page, with what the launchers' sheets tell of
// where prefixes and accounts lie.
type forms map[string]*sheet.Sheet // by id

func (s *Service) forms(c *echo.Context) (forms, error) {
	all, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return nil, err
	}
	f := forms{}
	for _, x := range all {
		if read, err := x.Read(); err == nil {
			f[x.ID] = read
		}
	}
	return f, nil
}

func (f forms) show(l manifest.Location, v manifest.Variant) wire.LocationShown {
	out := wire.LocationShown{
		At:       l.At,
		Holds:    l.Holds,
		Standing: l.Standing,
		Evidence: l.Evidence,
		Notes:    l.Notes,
		Forms:    []place.Form{},
	}
	_, out.Reason = standing.Of(l.Evidence)
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
		if s := f[id]; s != nil {
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
