package service

import (
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/service/store"
	"endroit/service/wire"
)

// systems in the order in which a sheet's are shown.
var systems = []string{"linux", "windows", "macos"}

func (s *Service) listLaunchers(c *echo.Context) error {
	offset, limit, err := page(c)
	if err != nil {
		return err
	}
	all, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return err
	}
	items, next := []wire.LauncherListed{}, ""
	for i := int(min(offset, int64(len(all)))); i < len(all); i++ {
		if len(items) == limit {
			next = cursorTo(int64(i))
			break
		}
		if read, err := all[i].Read(); err == nil {
			items = append(items, listLauncher(all[i], read))
		}
	}
	return c.JSON(http.StatusOK, wire.Page[wire.LauncherListed]{Items: items, Next: next})
}

func listLauncher(x record.Sheet, read *sheet.Sheet) wire.LauncherListed {
	out := wire.LauncherListed{
		ID:        x.ID,
		Name:      read.Name,
		Systems:   []string{},
		Addresses: read.Addresses,
		Starts:    []string{},
	}
	verdict := standing.OfSheet(x.Evidence, time.Now())
	out.Standing, out.Reason = verdict.Standing, verdict.Reason
	if out.Addresses == nil {
		out.Addresses = []string{}
	}
	for _, name := range systems {
		y, ok := read.Systems[name]
		if !ok {
			continue
		}
		out.Systems = append(out.Systems, name)
		for _, h := range y.Home {
			if l, err := place.Parse(h); err == nil && out.Usual == "" {
				out.Usual = l.Usual(name, "native")
			}
		}
		for _, h := range y.Starts {
			if h.Launcher != "" && !slices.Contains(out.Starts, h.Launcher) {
				out.Starts = append(out.Starts, h.Launcher)
			}
		}
	}
	return out
}

func (s *Service) showLauncher(c *echo.Context) error {
	all, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return err
	}
	i := slices.IndexFunc(all, func(x record.Sheet) bool { return x.ID == c.Param("id") })
	if i < 0 {
		return store.ErrNotFound
	}
	read, err := all[i].Read()
	if err != nil {
		return err
	}
	out := wire.LauncherShown{
		LauncherListed: listLauncher(all[i], read),
		Store:          read.Store,
		StartedBy:      []string{},
		Sheets:         sheetSystems(read),
	}
	if out.Evidence, err = s.evidence(c.Request().Context(), all[i].Evidence); err != nil {
		return err
	}
	if out.Store == "" {
		out.Store = read.ID
	}
	for _, x := range all {
		if other, err := x.Read(); err == nil && slices.Contains(listLauncher(x, other).Starts, read.ID) {
			out.StartedBy = append(out.StartedBy, x.ID)
		}
	}
	if out.Text, err = read.Text(); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func sheetSystems(s *sheet.Sheet) []wire.SheetSystem {
	out := []wire.SheetSystem{}
	for _, name := range systems {
		if rows := s.Describe(name); rows != nil {
			out = append(out, wire.SheetSystem{System: name, Rows: rows})
		}
	}
	return out
}

// showSheet is what a reviewer needs of a sheet.
func (s *Service) showSheet(c *echo.Context, x store.Contribution, body *contribution.Sheet) (*wire.SheetShown, error) {
	all, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return nil, err
	}
	out := &wire.SheetShown{
		ID:          body.Sheet.ID,
		Systems:     sheetSystems(body.Sheet),
		Found:       body.Found,
		Note:        body.Note,
		Differences: []sheet.Difference{},
		New:         true,
		Clashes:     []sheet.Clash{},
	}
	if out.Text, err = body.Sheet.Text(); err != nil {
		return nil, err
	}
	var present *sheet.Sheet
	for _, other := range all {
		if other.ID != body.Sheet.ID {
			continue
		}
		out.New = false
		if present, err = other.Read(); err != nil {
			return nil, err
		}
	}
	if x.State == "waiting" {
		if present != nil {
			out.Differences = sheet.Compare(present, body.Sheet)
		}
		out.Clashes = sheet.Clashes(body.Sheet, readable(all))
	}
	return out, nil
}

// readable are the sheets that this version reads.
func readable(all []record.Sheet) (read []*sheet.Sheet) {
	for i := range all {
		if s, err := all[i].Read(); err == nil {
			read = append(read, s)
		}
	}
	return read
}
