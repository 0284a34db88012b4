package contribution

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"endroit/core/draft"
	"endroit/core/footprint"
)

// Admissible removes from a draft the locations that could not be submitted with its
// footprint, and adds a question for each that says why. What else keeps the draft from
// being submitted becomes a question too.
func Admissible(ctx context.Context, d *draft.Draft, f *footprint.Footprint) error {
	for {
		body, err := Prepare(d, f)
		if err == nil {
			err = body.Check(ctx)
		}
		var bad *Error
		switch {
		case err == nil || len(d.Locations) == 0:
			return nil
		case !errors.As(err, &bad):
			return err
		}
		n := 0
		if _, e := fmt.Sscanf(bad.Field, "draft.locations[%d]", &n); e != nil || n < 0 || n >= len(d.Locations) {
			d.Questions = append(d.Questions, draft.Question{Ask: fmt.Sprintf("it cannot be submitted yet: %s: %s", bad.Field, bad.Reason)})
			return nil
		}
		d.Questions = append(
			d.Questions,
			draft.Question{Ask: fmt.Sprintf("%s was left out, since it could not be submitted: %s", d.Locations[n].At, bad.Reason)},
		)
		d.Locations = slices.Delete(slices.Clone(d.Locations), n, n+1)
	}
}
