package service

import (
	"encoding/json"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/record"
	"endroit/core/words"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// visible is the contribution that is asked for, if this person may see it, with what
// people said of its files applied.
func (s *Service) visible(c *echo.Context) (store.Contribution, contribution.Body, error) {
	id, err := contributionNumber(c)
	if err != nil {
		return store.Contribution{}, nil, err
	}
	x, body, err := s.store.Contribution(c.Request().Context(), id)
	if err != nil {
		return x, nil, err
	}
	if me := person(c); !me.Reviewer && x.Opaque != me.Opaque {
		return x, nil, store.ErrNotFound // not even that it exists
	}
	return x, body, nil
}

// bench is a contribution's footprint as the workbench shows it. A contribution that is no
// finding has a draft that proposes nothing.
func (s *Service) bench(c *echo.Context) (store.Contribution, *benchBody, wire.Workbench, error) {
	x, body, err := s.visible(c)
	if err != nil {
		return x, nil, wire.Workbench{}, err
	}
	b := &benchBody{footprint: body.Evidence()}
	if b.footprint == nil {
		return x, nil, wire.Workbench{}, answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "it has no footprint")
	}
	if finding, ok := body.(*contribution.Finding); ok {
		b.draft = finding.Draft
	} else {
		b.draft = &draft.Draft{
			Format: draft.Format, Title: x.Title, TitleID: x.TitleID, OS: b.footprint.OS, Runtime: b.footprint.Runtime,
			Locations: []draft.Location{},
		}
	}
	w := wire.NewWorkbench(b.footprint)
	w.Name, w.By, w.Title, w.Variant = "contribution "+strconv.FormatInt(x.ID, 10), x.By, x.Title, record.VariantOf(
		b.draft,
	).String()
	if w.MayCorrect = x.State == "waiting"; !w.MayCorrect {
		w.CannotCorrect = "it was " + x.State + " by " + x.DecidedBy
	}
	w.Draft, err = json.Marshal(b.draft)
	return x, b, w, err
}

// benchBody is what the workbench needs of a contribution.
type benchBody struct {
	draft     *draft.Draft
	footprint *footprint.Footprint
}

func (s *Service) showBench(c *echo.Context) error {
	_, _, w, err := s.bench(c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, w)
}

func (s *Service) showBenchFile(c *echo.Context) error {
	_, body, w, err := s.bench(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(c.Param("file"))
	if err != nil || n < 0 || n >= len(w.Files) {
		return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "the footprint has no file with this number")
	}
	return c.JSON(http.StatusOK, wire.BenchFileOf(body.footprint, n))
}

func (s *Service) tryDraft(c *echo.Context) error {
	_, body, _, err := s.bench(c)
	if err != nil {
		return err
	}
	var in wire.DraftTried
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	if len(in.Locations) > draft.MaxLocations {
		return answer.Invalid("locations", "there are more than "+strconv.Itoa(draft.MaxLocations))
	}
	d := *body.draft
	d.Title, d.Locations = in.Title, in.Locations
	ctx, world := c.Request().Context(), s.store.World()
	own := ""
	var bad *contribution.Error
	switch present, _, err := contribution.TitleOf(ctx, world, &d); {
	case errors.As(err, &bad): // of several titles of that name none is its own yet
	case err != nil:
		return err
	case present != nil:
		own = present.ID
	}
	var locations []string
	for _, l := range d.Locations {
		locations = append(locations, l.At)
	}
	others, err := world.Near(ctx, locations)
	if err != nil {
		return err
	}
	tried, err := contribution.Try(ctx, &d, body.footprint, own, others)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, tried)
}

// addCorrection takes what a person says of a file, with their name.
func (s *Service) addCorrection(c *echo.Context) error {
	x, body, _, err := s.bench(c)
	if err != nil {
		return err
	}
	var in wire.CorrectionMade
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	in.Because = strings.TrimSpace(in.Because)
	if reason := words.Line(in.Because, maxBecause); reason != "" {
		return answer.Invalid("because", reason)
	}
	said := footprint.Correction{File: in.File, Kind: in.Kind, By: person(c).Name, Because: in.Because, Made: time.Now()}
	if err := body.footprint.Correct([]footprint.Correction{said}); err != nil {
		field := "file"
		if errors.Is(err, footprint.ErrNoSuchKind) {
			field = "kind"
		}
		return answer.Invalid(field, err.Error())
	}
	if err := s.store.AddCorrection(c.Request().Context(), x.ID, person(c).ID, said); err != nil {
		return err
	}
	s.log.Info("corrected", "contribution", x.ID, "by", person(c).Name)
	return c.NoContent(http.StatusNoContent)
}
