package service

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/words"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// visible is the contribution that is asked for, if this person may see it.
func (s *Service) visible(c *echo.Context) (store.Contribution, error) {
	id, err := contributionNumber(c)
	if err != nil {
		return store.Contribution{}, err
	}
	x, err := s.store.Contribution(c.Request().Context(), id)
	if err != nil {
		return x, err
	}
	if me := person(c); !me.Reviewer && x.By != me.Name {
		return x, store.ErrNotFound // not even that it exists
	}
	return x, nil
}

// corrected is what was submitted, with what people said of its files applied.
func (s *Service) corrected(c *echo.Context, x store.Contribution) (*contribution.Body, error) {
	body, err := contribution.Parse(x.Body)
	if err != nil {
		return nil, fmt.Errorf("contribution %d as it is stored: %v", x.ID, err) // not the caller's mistake
	}
	if body.Footprint == nil {
		return body, nil
	}
	for i := range body.Footprint.Corrections {
		body.Footprint.Corrections[i].By = x.By
	}
	body.Footprint.Explain()
	said, err := s.store.Corrections(c.Request().Context(), x.ID)
	if err != nil {
		return nil, err
	}
	return body, body.Footprint.Correct(said)
}

// bench is a contribution's footprint as the workbench shows it.
func (s *Service) bench(c *echo.Context) (x store.Contribution, body *contribution.Body, w wire.Workbench, err error) {
	if x, err = s.visible(c); err != nil {
		return x, nil, w, err
	}
	if body, err = s.corrected(c, x); err != nil {
		return x, nil, w, err
	}
	if body.Footprint == nil {
		return x, nil, w, answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "a sheet has no footprint")
	}
	w = wire.NewWorkbench(body.Footprint)
	w.Name, w.By, w.Title, w.Variant = "contribution "+strconv.FormatInt(x.ID, 10), x.By, x.Title, manifest.VariantOf(
		body.Draft,
	).String()
	if w.MayCorrect = x.State == "waiting"; !w.MayCorrect {
		w.CannotCorrect = "it was " + x.State + " by " + x.DecidedBy
	}
	w.Draft, err = json.Marshal(body.Draft)
	return x, body, w, err
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
	return c.JSON(http.StatusOK, wire.BenchFileOf(body.Footprint, n))
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
	d := *body.Draft
	d.Title, d.Locations = in.Title, in.Locations
	others, err := s.store.TitlesNear(c.Request().Context(), &d)
	if err != nil {
		return err
	}
	tried, err := contribution.Try(c.Request().Context(), &d, body.Footprint, others)
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
	if err := body.Footprint.Correct([]footprint.Correction{said}); err != nil {
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
