package service

import (
	"encoding/json"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
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
	state := c.QueryParam("state")
	if state != "" && state != "waiting" && state != "accepted" && state != "returned" {
		return answer.Invalid("state", "it must be waiting, accepted or returned")
	}
	me := person(c)
	var only int64
	if !me.Reviewer || c.QueryParam("mine") == "true" {
		only = me.ID
	}
	list, err := s.store.Contributions(c.Request().Context(), state, only, cursor, limit+1)
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
	x, err := s.visible(c)
	if err != nil {
		return err
	}
	shown, err := s.show(c, x)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, shown)
}

func (s *Service) show(c *echo.Context, x store.Contribution) (*wire.ContributionShown, error) {
	body, err := s.corrected(c, x)
	if err != nil {
		return nil, err
	}
	out := &wire.ContributionShown{
		ContributionListed: listed(x),
		Locations:          []wire.LocationShown{},
		Coverage:           []contribution.Covered{},
		Changes:            []manifest.Change{},
		Conflicts:          []manifest.Conflict{},
	}
	if body.Sheet != nil {
		out.Sheet, err = s.showSheet(c, x, body)
	} else {
		err = s.showDraft(c, x, body, out)
	}
	if err != nil {
		return nil, err
	}
	me := person(c)
	switch {
	case x.State != "waiting":
		out.CannotDecide = "it was " + x.State + " by " + x.DecidedBy
	case x.By == me.Name:
		out.CannotDecide = "it is your own contribution; another reviewer has to decide"
	case !me.Reviewer:
		out.CannotDecide = "only reviewers can decide"
	default:
		out.MayDecide = true
	}
	return out, nil
}

// showDraft fills in what a reviewer needs of a draft.
func (s *Service) showDraft(c *echo.Context, x store.Contribution, body *contribution.Body, out *wire.ContributionShown) error {
	var err error
	if out.Draft, err = json.Marshal(body.Draft); err != nil {
		return err
	}
	if out.Footprint, err = json.Marshal(body.Footprint); err != nil {
		return err
	}
	out.Variant = manifest.VariantOf(body.Draft).String()
	if out.Coverage, err = contribution.Cover(c.Request().Context(), body.Draft, body.Footprint); err != nil {
		return err
	}
	others, err := s.store.TitlesNear(c.Request().Context(), body.Draft)
	if err != nil {
		return err
	}
	forms, err := s.forms(c)
	if err != nil {
		return err
	}
	present := manifest.Present(others, body.Draft)
	next := manifest.Title{}
	if present != nil {
		next = *present
	}
	if x.State == "waiting" {
		next, err = manifest.Apply(present, manifest.Accepted{
			Draft:    body.Draft,
			Evidence: standing.Evidence{Contribution: int(x.ID), By: x.By, Observer: body.Footprint.Observer},
		})
		if err != nil {
			return err
		}
		out.Changes = append(manifest.JoinedTitle(present, body.Draft.Title), manifest.Compare(present, next)...)
		if out.Conflicts, err = manifest.Conflicts(c.Request().Context(), body.Draft, others); err != nil {
			return err
		}
	}
	for _, v := range next.Variants {
		if !v.Same(manifest.VariantOf(body.Draft)) {
			continue
		}
		for _, d := range body.Draft.Locations {
			for _, l := range v.Locations {
				if l.At == d.At && l.Holds == d.Holds {
					out.Locations = append(out.Locations, forms.show(l, v))
				}
			}
		}
	}
	if len(out.Locations) == 0 { // returned: not in the manifest
		for _, d := range body.Draft.Locations {
			out.Locations = append(out.Locations, forms.show(
				manifest.Location{At: d.At, Holds: d.Holds, Evidence: []standing.Evidence{}, Notes: d.Notes},
				manifest.VariantOf(body.Draft),
			))
		}
	}
	return nil
}
