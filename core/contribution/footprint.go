package contribution

import (
	"fmt"
	"regexp"
	"slices"
	"sync"
	"time"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/core/words"
)

var findingID = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[a-z]+(-[a-z]+){0,9}$`) })

func checkFootprint(f *footprint.Footprint) error {
	if f.Format != footprint.Format {
		return &Error{"footprint.format", fmt.Sprintf("it is %.40q, not %s", f.Format, footprint.Format)}
	}
	if len(f.Files) > MaxFiles {
		return &Error{"footprint.files", fmt.Sprintf("there are %d; at most %d can be sent", len(f.Files), MaxFiles)}
	}
	known := map[footprint.Kind]bool{}
	for _, k := range footprint.Kinds {
		known[k] = true
	}
	texts := append([]string{f.OS, f.Runtime, f.Observer, f.Cut}, f.Programs...)
	for i, c := range f.Cues {
		if reason := words.Name(c.Word, maxText); reason != "" {
			return &Error{fmt.Sprintf("footprint.cues[%d]", i), reason}
		}
	}
	end := time.Duration(0)
	for i, r := range f.Runs {
		if i > draft.MaxTraces || r.At < end || r.Length < 0 || r.At > f.Length {
			return &Error{
				fmt.Sprintf("footprint.runs[%d]", i),
				"runs stand one behind the other, within the footprint's length, and there are at most 17",
			}
		}
		end = r.At + r.Length
	}
	for kind, n := range f.Counts {
		if !known[kind] || n < 0 {
			return &Error{"footprint.counts", fmt.Sprintf("%.40q is not a kind of file, or its number is negative", kind)}
		}
	}
	if f.Events < 0 || f.Length < 0 {
		return &Error{"footprint.events", "a number is negative"}
	}
	for _, g := range f.Gaps {
		texts = append(texts, g.What)
	}
	if len(f.Missed) > MaxFiles {
		return &Error{"footprint.missed", fmt.Sprintf("there are %d; at most %d can be sent", len(f.Missed), MaxFiles)}
	}
	texts = append(texts, f.Missed...)
	corrected, judged := map[string]bool{}, map[string]bool{}
	for i, c := range f.Corrections {
		field := fmt.Sprintf("footprint.corrections[%d]", i)
		if !known[c.Kind] || !known[c.Was] || corrected[c.File] {
			return &Error{field, "a kind is unknown, or the file was corrected before"}
		}
		if c.By != "" {
			return &Error{field + ".by", "the service knows the sender"}
		}
		corrected[c.File] = true
		texts = append(texts, c.Because)
	}
	strokes := 0
	for i, x := range f.Files {
		field := fmt.Sprintf("footprint.files[%d]", i)
		if x.Path != "" {
			return &Error{field + ".path", "paths stay on the contributor's machine"}
		}
		if _, err := place.ParseAny(x.Place); err != nil {
			return &Error{field + ".place", err.Error()}
		}
		if !known[x.Kind] || x.Confidence < 0 || x.Confidence > 1 || x.Reads < 0 || x.Writes < 0 {
			return &Error{field, "its kind, confidence or counts are out of range"}
		}
		if j := x.Judged; j != nil {
			if !corrected[x.Place] || !known[j.Kind] || j.Confidence < 0 || j.Confidence > 1 {
				return &Error{field + ".judged", "only a corrected file has an original kind"}
			}
			judged[x.Place] = true
		}
		if len(x.Reasons) > 0 || x.Again != nil {
			return &Error{field + ".reasons", "reasons are made from the findings, where they are read; leave them out"}
		}
		if len(x.Findings) > maxFindings {
			return &Error{field + ".findings", fmt.Sprintf("there are %d; at most %d are allowed", len(x.Findings), maxFindings)}
		}
		for _, f := range x.Findings {
			if !findingID().MatchString(f.ID) || f.Case != "" && !findingID().MatchString(f.Case) || f.Share < 0 || f.Share > 1 {
				return &Error{
					field + ".findings",
					fmt.Sprintf("%.40q is not a finding's id, its case is none, or its share is not between 0 and 1", f.ID),
				}
			}
			texts = append(texts, f.Word)
		}
		for _, s := range []trace.State{x.Before, x.After} {
			if !slices.Contains(trace.States, s.Is) || s.Size < 0 {
				return &Error{field, fmt.Sprintf("%.40q is not a file type, or its size is negative", s.Is)}
			}
		}
		if x.Lane != nil {
			for _, s := range append(append([]footprint.Stroke{}, x.Lane.Reads...), x.Lane.Writes...) {
				if strokes++; strokes > maxStrokes || s[0] < 0 || s[1] < s[0] || s[2] < 1 {
					return &Error{
						field + ".lane",
						fmt.Sprintf(
							"a stroke must end after it begins, with a positive count, and all files together have at most %d",
							maxStrokes,
						),
					}
				}
			}
		}
		texts = append(append(append(texts, x.Programs...), x.Near...), x.Before.Looks, x.After.Looks)
	}
	if len(corrected) > len(judged) {
		return &Error{"footprint.corrections", "one refers to a file that is not in the footprint"}
	}
	return checkTexts(texts, "footprint")
}

func checkTexts(texts []string, field string) error {
	for _, t := range texts {
		if reason := words.Shown(t, maxText); reason != "" {
			return &Error{field, "a text: " + reason}
		}
	}
	return nil
}
