package trace

import "endroit/core/phrase"

// Became says how a run changed a file that was b before and x after; written tells whether
// the run wrote it.
func Became(b, x State, written bool) string {
	switch {
	case b.Is == IsAbsent && x.Is == IsAbsent:
		return "not there before or after"
	case x.Is == IsFolder && b.Is == IsAbsent:
		return "new folder"
	case x.Is == IsFolder:
		return "folder"
	case b.Is == IsAbsent:
		return "new, " + amount(x)
	case x.Is == IsAbsent:
		return "gone afterwards"
	case written && b.Digest != "" && b.Digest == x.Digest:
		return amount(x) + ", the same content afterwards"
	case b.Size != x.Size:
		return amount(b) + ", then " + amount(x)
	}
	return amount(x)
}

// amount is how much a state holds.
func amount(s State) string {
	if s.Is == IsKey && s.Time.IsZero() && s.Size == 0 {
		return "values not known"
	}
	if s.Is == IsKey {
		return phrase.Count(int(s.Size), "value", "values")
	}
	if s.Is == IsFile && s.Time.IsZero() && s.Size == 0 {
		return "size not known" // a log told no more
	}
	return phrase.Size(s.Size)
}
