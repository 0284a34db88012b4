package draft

import (
	"fmt"
	"slices"
	"strings"

	"endroit/core/phrase"
	"endroit/core/words"
)

// Question is what a run does not decide, with a place for what the person says.
type Question struct {
	Ask   string `json:"ask" yaml:"ask"`                         // in words
	Topic string `json:"topic,omitempty" yaml:"topic,omitempty"` // what the answer changes; see the constants
	// Of is what it is about: names, or places of files.
	Of      []string `json:"of,omitempty" yaml:"of,omitempty"`
	Answers []string `json:"answers,omitempty" yaml:"answers,omitempty,flow"` // those that can be given; any text if there are none
	Answer  string   `json:"answer" yaml:"answer"`                            // empty until it is given
}

// The topics of questions. The answer to one without a topic is shown to
// the reviewer, and changes nothing by itself.
const (
	TopicTitle   = "title"   // the title's name: any name
	TopicNames   = "names"   // which names the player chose: those of Of, with commas between them, or none, or all
	TopicKind    = "kind"    // what files are
	TopicCopy    = "copy"    // whether the first file is a copy of the second, and no place of its own
	TopicBelongs = "belongs" // whether settings belong to the machine or to the person
)

// AnswersTo are the answers that a question can have; nil for any text.
func AnswersTo(topic string) []string {
	switch topic {
	case TopicKind:
		return []string{"progress", "settings", "pictures", "none"}
	case TopicCopy:
		return []string{"yes", "no"}
	case TopicBelongs:
		return []string{Machine, Person}
	}
	return nil
}

// Whom settings belong to.
const (
	Machine = "machine" // they fit its screen, devices or speed
	Person  = "person"
)

// None and All answer which names the player chose.
const (
	None = "none"
	All  = "all"
)

// Chosen are the names that the player chose, by the answer to a question about names.
func (q Question) Chosen() (names []string, err error) {
	switch answer := strings.TrimSpace(q.Answer); {
	case strings.EqualFold(answer, None) || answer == "":
		return nil, nil
	case strings.EqualFold(answer, All):
		return q.Of, nil
	case slices.Contains(q.Of, answer): // one with a comma in it
		return []string{answer}, nil
	}
	for _, name := range strings.Split(q.Answer, ",") {
		name = strings.TrimSpace(name)
		i := slices.IndexFunc(q.Of, func(of string) bool { return strings.EqualFold(of, name) })
		if i < 0 {
			return nil, fmt.Errorf("%q is none of the names asked for (%s)", phrase.Clip(name, 60), strings.Join(q.Of, ", "))
		}
		names = append(names, q.Of[i])
	}
	return names, nil
}

// Wrong says what is wrong with a question or its answer; empty if nothing is.
func (q Question) Wrong() string {
	_, reason := q.check()
	return reason
}

// Same reports whether two questions ask the same.
func (q Question) Same(o Question) bool {
	if q.Topic == "" || o.Topic == "" {
		return q.Topic == o.Topic && q.Ask == o.Ask
	}
	return q.Topic == o.Topic && slices.Equal(q.Of, o.Of)
}

// check says what is wrong with a question; empty if nothing is.
func (q Question) check() (field, reason string) {
	if reason := words.Shown(q.Ask, 1000); reason != "" {
		return ".ask", reason
	}
	if q.Topic != "" && !slices.Contains([]string{TopicTitle, TopicNames, TopicKind, TopicCopy, TopicBelongs}, q.Topic) {
		return ".topic", fmt.Sprintf("%q is no topic of a question", phrase.Clip(q.Topic, 60))
	}
	if len(q.Of) > 1000 {
		return ".of", fmt.Sprintf("there are %d; at most 1000 are allowed", len(q.Of))
	}
	for i, of := range q.Of {
		if reason := words.Shown(of, 1000); reason != "" {
			return fmt.Sprintf(".of[%d]", i), reason
		}
	}
	allowed := AnswersTo(q.Topic)
	if len(q.Answers) > 0 && !slices.Equal(q.Answers, allowed) {
		return ".answers", "they are not those that such a question has; leave them as they were"
	}
	if reason := words.Shown(q.Answer, 1000); reason != "" {
		return ".answer", reason
	}
	switch {
	case q.Answer == "":
	case allowed != nil && !slices.Contains(allowed, q.Answer):
		return ".answer", fmt.Sprintf("it is %q; it must be one of: %s", phrase.Clip(q.Answer, 60), strings.Join(allowed, ", "))
	case q.Topic == TopicNames && len(q.Of) > 0:
		if _, err := q.Chosen(); err != nil {
			return ".answer", err.Error() + "; write those that you chose with commas between them, or none, or all"
		}
	case q.Topic == TopicTitle:
		if reason := words.Name(q.Answer, maxText); reason != "" {
			return ".answer", reason
		}
	}
	return "", ""
}
