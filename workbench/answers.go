package workbench

import (
	"encoding/json"
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/jsondoc"
	"endroit/service/answer"
	"endroit/service/wire"
)

// applyAnswers changes a draft in the making by the answers in it. Nothing is kept: the page
// saves the draft when the person says so.
func (b *Workbench) applyAnswers(c *echo.Context) error {
	var in wire.DraftAnswered
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	var d draft.Draft
	if err := jsondoc.Decode("draft", in.Draft, &d); err != nil {
		return answer.Problem(http.StatusBadRequest, wire.ProblemInvalid, "invalid draft: "+err.Error())
	}
	var bad *draft.Error
	if err := d.Check(); errors.As(err, &bad) {
		return answer.Invalid("draft."+bad.Field, bad.Reason)
	}
	ctx := c.Request().Context()
	fp := *b.footprint() // that of the workbench is never changed
	contribution.TellNames(&fp, d.Names)
	found, err := b.sources(ctx, candidate.Told(&fp, d.Questions))
	if err != nil {
		return err
	}
	out := wire.Answered{Added: []string{}, Removed: []string{}}
	added, removed := candidate.Answer(&d, &fp, found)
	out.Added, out.Removed = append(out.Added, added...), append(out.Removed, removed...)
	if out.Draft, err = json.Marshal(d); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}
