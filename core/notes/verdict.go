package notes

import (
	"fmt"
	"slices"
	"strings"
)

// Verdict says whether a file is what notes describe.
type Verdict struct {
	Word string `json:"word"` // Sound, Damaged, Foreign or Unsure
	Why  string `json:"why"`
}

// What a file can be, as far as notes tell.
const (
	Sound   = "sound"   // its header and checksum fit
	Damaged = "damaged" // it begins as it should, and the rest does not fit
	Foreign = "foreign" // it begins otherwise: it is no such file
	Unsure  = "unsure"  // the notes have neither header nor checksum to tell by
)

// Judge tells a sound file from a damaged or a foreign one.
func (n *Notes) Judge(data []byte) Verdict {
	r := n.Read(data)
	switch {
	case n.Header != "" && !slices.Contains(r.Sound, "header"):
		return Verdict{Foreign, r.Problems[0]}
	case !r.Valid():
		why := r.Problems[0]
		if more := len(r.Problems) - 1; more > 0 {
			why += fmt.Sprintf(" (and %d more)", more)
		}
		return Verdict{Damaged, why}
	case len(r.Sound) == 0:
		return Verdict{Unsure, "the notes have neither a header nor a checksum; their fields match"}
	}
	if len(r.Sound) == 1 {
		return Verdict{Sound, r.Sound[0] + " matches"}
	}
	return Verdict{Sound, strings.Join(r.Sound, " and ") + " match"}
}

// Summary is what the notes tell, in one line.
func (n *Notes) Summary() string {
	var parts []string
	if n.About != "" {
		parts = append(parts, n.About)
	}
	if n.Header != "" {
		parts = append(parts, "begins with "+n.Header)
	}
	if len(n.Fields) > 0 {
		var names []string
		for _, f := range n.Fields {
			names = append(names, f.Name)
		}
		const most = 6
		text := strings.Join(names[:min(len(names), most)], ", ")
		if more := len(names) - most; more > 0 {
			text += fmt.Sprintf(" and %d more", more)
		}
		parts = append(parts, "fields "+text)
	}
	if s := n.Checksum; s != nil && s.At != nil {
		parts = append(parts, fmt.Sprintf("%s at %d", s.Algorithm, *s.At))
	}
	return strings.Join(parts, "; ")
}
