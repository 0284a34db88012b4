package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

func listed(x store.Contribution) wire.ContributionListed {
	return wire.ContributionListed{
		Number:    x.ID,
		Kind:      x.Kind,
		Title:     x.Title,
		TitleID:   x.TitleID,
		Store:     x.Store,
		System:    x.System,
		Statement: x.Statement,
		By:        x.By,
		State:     x.State,
		Submitted: x.Submitted.UTC(),
		DecidedBy: x.DecidedBy,
		Decided:   x.Decided,
		Because:   x.Because,
		Revision:  x.Revision,
	}
}

// listContributions shows reviewers everything and contributors their own.
func (s *Service) listContributions(c *echo.Context) error {
	cursor, limit, err := page(c)
	if err != nil {
		return err
	}
	f := store.Filter{
		State: c.QueryParam("state"), Kind: c.QueryParam("kind"), System: c.QueryParam("system"), TitleID: c.QueryParam("title"),
	}
	if f.State != "" && f.State != "waiting" && f.State != "accepted" && f.State != "returned" {
		return answer.Invalid("state", "it must be waiting, accepted or returned")
	}
	if f.Kind != "" && !slices.Contains(contribution.Kinds(), f.Kind) {
		return answer.Invalid("kind", "it must be one of the kinds of contributions")
	}
	if f.System != "" && !slices.Contains(systems, f.System) {
		return answer.Invalid("system", "it must be linux, windows or macos")
	}
	me := person(c)
	if !me.Reviewer || c.QueryParam("mine") == "true" {
		f.Person = me.ID
	}
	list, err := s.store.Contributions(c.Request().Context(), f, cursor, limit+1)
	if err != nil {
		return err
	}
	next := ""
	if len(list) > limit {
		list = list[:limit]
		next = cursorTo(list[limit-1].ID)
	}
	items := []wire.ContributionListed{}
	for _, x := range list {
		items = append(items, listed(x))
	}
	return c.JSON(http.StatusOK, wire.Page[wire.ContributionListed]{Items: items, Next: next})
}

func contributionNumber(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("number"), 10, 64)
	if err != nil || id < 1 {
		return 0, answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "the contribution must be a number")
	}
	return id, nil
}

func (s *Service) showContribution(c *echo.Context) error {
	x, body, err := s.visible(c)
	if err != nil {
		return err
	}
	shown, err := s.show(c, x, body)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, shown)
}

func (s *Service) show(c *echo.Context, x store.Contribution, body contribution.Body) (*wire.ContributionShown, error) {
	ctx := c.Request().Context()
	out := &wire.ContributionShown{
		ContributionListed: listed(x),
		Reason:             body.Reason(),
		Locations:          []wire.LocationShown{},
		Coverage:           []contribution.Covered{},
		Conflicts:          []manifest.Conflict{},
	}
	outcome, err := s.outcome(ctx, x, body)
	var bad *contribution.Error
	var refused *record.Error
	var merged *record.MergedError
	switch {
	case errors.As(err, &bad), errors.As(err, &refused), errors.As(err, &merged):
		out.Refused, outcome, err = err.Error(), &contribution.Outcome{}, nil
	case err != nil:
		return nil, err
	}
	out.Changes = wire.Changes(outcome.Changes(time.Now()))
	out.Conflicts = append(out.Conflicts, outcome.Conflicts...)
	if f := body.Evidence(); f != nil {
		if out.Footprint, err = json.Marshal(f); err != nil {
			return nil, err
		}
	}
	switch b := body.(type) {
	case *contribution.Sheet:
		out.Sheet, err = s.showSheet(c, x, b)
	case *contribution.Finding:
		err = s.showDraft(c, b, outcome, out)
	case *contribution.Proof:
		out.Variant, out.Proof = b.Variant.String(), wire.ProofOf(b)
	}
	if err != nil {
		return nil, err
	}
	me := person(c)
	switch {
	case x.State != "waiting":
		out.CannotDecide = "it was " + x.State + " by " + cmp.Or(x.DecidedBy, "somebody")
	case x.Opaque == me.Opaque:
		out.CannotDecide = "it is your own contribution; another reviewer has to decide"
	case !me.Reviewer:
		out.CannotDecide = "only reviewers can decide"
	default:
		out.MayDecide = true
	}
	return out, nil
}

// outcome is what accepting a contribution would do, or has done.
func (s *Service) outcome(ctx context.Context, x store.Contribution, body contribution.Body) (*contribution.Outcome, error) {
	switch x.State {
	case "waiting":
		return body.Apply(ctx, s.store.World(), standing.Evidence{Contribution: x.ID, Person: x.Opaque, Accepted: time.Now()})
	case "accepted":
		return s.store.Made(ctx, x.ID)
	}
	return &contribution.Outcome{}, nil
}

// showDraft fills in what a reviewer needs of a draft.
func (s *Service) showDraft(
	c *echo.Context, body *contribution.Finding, outcome *contribution.Outcome, out *wire.ContributionShown,
) error {
	var err error
	if out.Draft, err = json.Marshal(body.Draft); err != nil {
		return err
	}
	variant := record.VariantOf(body.Draft)
	out.Variant = variant.String()
	if out.Coverage, err = contribution.Cover(c.Request().Context(), body.Draft, body.Footprint); err != nil {
		return err
	}
	shower, err := s.shower(c)
	if err != nil {
		return err
	}
	for _, d := range body.Draft.Locations {
		of, l := &record.Title{}, record.Location{At: d.At, Holds: d.Holds, Evidence: []standing.Evidence{}, Notes: d.Notes}
		for _, changed := range outcome.Titles {
			if found, err := changed.After.Location(
				record.Place{Variant: record.CombinationOf(variant), At: d.At, Holds: d.Holds},
			); err == nil {
				of, l = changed.After, found
			}
		}
		out.Locations = append(out.Locations, shower.location(of, l, variant))
	}
	return shower.names(c.Request().Context(), s.store, out.Locations)
}
