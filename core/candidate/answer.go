package candidate

import (
	"path"
	"slices"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/words"
)

// said is what the answers to questions say.
type said struct {
	fixed   []string        // names that the player did not choose
	copies  map[string]bool // places that are copies of others
	kinds   map[string]bool // places of which it is said what they are
	belongs map[string]string
	given   []draft.Question
}

// asked reports whether a question was answered.
func (s said) asked(q draft.Question) bool {
	return slices.ContainsFunc(s.given, q.Same)
}

var kindOf = map[string]footprint.Kind{
	"progress": footprint.Save, "settings": footprint.Config, "pictures": footprint.Capture, draft.None: footprint.Unknown,
}

// told is a footprint with what the answers and the person's cues say of it.
func told(f *footprint.Footprint, questions []draft.Question, found *origin.Result) (*footprint.Footprint, said) {
	out := *f
	out.Files = slices.Clone(f.Files)
	out.Counts = map[footprint.Kind]int{}
	for k, n := range f.Counts {
		out.Counts[k] = n
	}
	self := footprint.Self{}
	if f.Self != nil {
		self = *f.Self
	}
	self.Chosen = slices.Clone(self.Chosen)
	for _, name := range chosenInCues(f, found) {
		if !slices.Contains(self.Chosen, name) {
			self.Chosen = append(self.Chosen, name)
		}
	}
	out.Self = &self
	s := said{kinds: map[string]bool{}, copies: map[string]bool{}, belongs: map[string]string{}}
	var kinds []footprint.Correction
	for _, q := range questions {
		if q.Answer == "" {
			continue
		}
		s.given = append(s.given, q)
		switch q.Topic {
		case draft.TopicTitle:
			out.Title = q.Answer
		case draft.TopicNames:
			chosen, err := q.Chosen()
			if err == nil {
				self.Chosen = slices.DeleteFunc(self.Chosen, func(name string) bool { return slices.Contains(q.Of, name) }) // said before
			}
			for _, name := range q.Of {
				switch {
				case err != nil:
				case slices.Contains(chosen, name):
					self.Chosen = append(self.Chosen, name)
				default:
					s.fixed = append(s.fixed, name)
				}
			}
		case draft.TopicKind:
			for _, at := range q.Of {
				s.kinds[at] = true
				kinds = append(kinds, footprint.Correction{File: at, Kind: kindOf[q.Answer], Because: "the answer to a question", Made: f.Started})
			}
		case draft.TopicCopy:
			if len(q.Of) > 0 && q.Answer == "yes" {
				s.copies[q.Of[0]] = true
			}
		case draft.TopicBelongs:
			for _, at := range q.Of {
				s.belongs[at] = q.Answer
			}
		}
	}
	_ = out.Correct(kinds) // what is asked of is in the footprint; else it says nothing
	for i, x := range out.Files {
		if s.kinds[x.Place] && x.Judged == nil {
			out.Files[i].Confidence = 1 // the person says what the judgement said
		}
	}
	return &out, s
}

// Told is a footprint with what the answers to questions say of its files and names.
func Told(f *footprint.Footprint, questions []draft.Question) *footprint.Footprint {
	out, _ := told(f, questions, nil)
	return out
}

// Answer applies the answers in a draft to its locations: those that the answers bring are
// added, those that they take away are removed, and all others stay as they are, also where
// somebody edited them. It says what it changed. fp and found are those of the draft.
func Answer(d *draft.Draft, fp *footprint.Footprint, found *origin.Result) (added, removed []string) {
	before, _, _ := Draft(fp, found)
	after, _, _ := Draft(fp, found, d.Questions...)
	key := func(l draft.Location) string { return l.Holds + " " + l.At }
	in := func(list []draft.Location, l draft.Location) int {
		return slices.IndexFunc(list, func(o draft.Location) bool { return key(o) == key(l) })
	}
	made := append(slices.Clone(before.Locations), otherwise(d.Questions, fp, found)...)
	d.Locations = slices.DeleteFunc(slices.Clone(d.Locations), func(l draft.Location) bool {
		gone := in(made, l) >= 0 && in(after.Locations, l) < 0
		if gone {
			removed = append(removed, key(l))
		}
		return gone
	})
	for _, l := range after.Locations {
		i := in(d.Locations, l)
		switch {
		case i >= 0 && d.Locations[i].Belongs != l.Belongs && l.Belongs != "":
			d.Locations[i].Belongs = l.Belongs
			added = append(added, key(l)+" belongs to the "+l.Belongs)
		case i < 0 && in(before.Locations, l) < 0:
			d.Locations = append(d.Locations, l)
			added = append(added, key(l))
		}
	}
	slices.SortStableFunc(d.Locations, func(a, b draft.Location) int {
		return rank(footprint.Kind(a.Holds)) - rank(footprint.Kind(b.Holds))
	})
	if after.Title != before.Title && d.Title != after.Title {
		d.Title = after.Title
		added = append(added, "title "+after.Title)
	}
	d.Names = after.Names
	// An answer can settle other questions, and raise new ones.
	var questions []draft.Question
	for _, q := range d.Questions {
		settled := q.Answer == "" && slices.ContainsFunc(before.Questions, q.Same) && !slices.ContainsFunc(after.Questions, q.Same)
		if !settled {
			questions = append(questions, q)
		}
	}
	for _, q := range after.Questions {
		if !slices.ContainsFunc(questions, q.Same) && !slices.ContainsFunc(before.Questions, q.Same) {
			questions = append(questions, q)
		}
	}
	d.Questions = questions
	return added, removed
}

// otherwise are the locations that other answers would give: an answer may replace another.
func otherwise(questions []draft.Question, fp *footprint.Footprint, found *origin.Result) (list []draft.Location) {
	for i, q := range questions {
		if q.Answer == "" || q.Topic == "" {
			continue
		}
		answers := draft.AnswersTo(q.Topic)
		if q.Topic == draft.TopicNames {
			answers = []string{draft.None, draft.All}
		}
		for _, a := range append([]string{""}, answers...) {
			if a != q.Answer && q.Topic != draft.TopicBelongs {
				others := slices.Clone(questions)
				others[i].Answer = a
				d, _, _ := Draft(fp, found, others...)
				list = append(list, d.Locations...)
			}
		}
	}
	return list
}

// belongsQuestions asks of settings that look like those of a screen or a device whether
// they belong to the machine. Those with the host in their name do.
func (p *Proposal) belongsQuestions(s said) {
	var places []string
	for i := range p.Locations {
		l := &p.Locations[i]
		if l.Holds != footprint.Config || l.At.Anchor == place.Registry {
			continue
		}
		ofHost := slices.ContainsFunc(l.At.Pattern.Segments, func(s place.Segment) bool {
			return slices.ContainsFunc(s, func(p place.Part) bool { return p.Kind == place.Named && p.Text == "host" })
		})
		for _, x := range l.Files {
			switch {
			case ofHost:
				l.Belongs = draft.Machine
			case s.belongs[x.Place] != "":
				l.Belongs = s.belongs[x.Place]
			case shapes().device.MatchString(path.Base(x.Place)):
				places = append(places, x.Place)
			}
		}
	}
	if len(places) > 0 {
		p.put(s, draft.Question{
			Ask:   "do these settings belong to this machine, as its screen and devices do, or to the person on any machine? " + some(places),
			Topic: draft.TopicBelongs, Of: places,
		})
	}
}

// put keeps a question, unless it was answered.
func (p *Proposal) put(s said, q draft.Question) {
	if slices.ContainsFunc(q.Of, func(of string) bool { return words.Shown(of, 1000) != "" }) {
		q.Topic, q.Of = "", nil // no draft can name it: it is answered by editing
	}
	q.Ask, q.Answers = phrase.Visible(q.Ask), draft.AnswersTo(q.Topic)
	if !s.asked(q) && !slices.ContainsFunc(p.Questions, q.Same) {
		p.Questions = append(p.Questions, q)
	}
}
