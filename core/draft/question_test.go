package draft

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestChosenNames(t *testing.T) {
	q := Question{Topic: TopicNames, Of: []string{"Anna", "slot", "Oakes, Mira"}}
	for answer, want := range map[string][]string{
		"": nil, "none": nil, "ALL": q.Of, "anna": {"Anna"}, " Anna , slot ": {"Anna", "slot"}, "Oakes, Mira": {"Oakes, Mira"},
	} {
		q.Answer = answer
		got, err := q.Chosen()
		require.NoError(t, err, answer)
		assert.Equal(t, want, got, answer)
	}
	q.Answer = "Anna, Bram"
	_, err := q.Chosen()
	assert.ErrorContains(t, err, `"Bram" is none of the names asked for`)
}

func TestQuestionsAreChecked(t *testing.T) {
	for about, c := range map[string]struct {
		q     Question
		field string
		says  string
	}{
		"one with an answer":       {Question{Ask: "is it?", Topic: TopicKind, Answers: AnswersTo(TopicKind), Answer: "settings"}, "", ""},
		"one that is open":         {Question{Ask: "is it?", Topic: TopicCopy}, "", ""},
		"one in words":             {Question{Ask: "where is it?", Answer: "below the other"}, "", ""},
		"another's answer":         {Question{Ask: "is it?", Topic: TopicKind, Answer: "machine"}, ".answer", "progress, settings, pictures, none"},
		"answers that were edited": {Question{Ask: "is it?", Topic: TopicKind, Answers: []string{"maybe"}}, ".answers", "leave them as they were"},
		"a name not asked for":     {Question{Ask: "which?", Topic: TopicNames, Of: []string{"Anna"}, Answer: "Bram"}, ".answer", "with commas between them"},
		"of no topic known":        {Question{Ask: "is it?", Topic: "weather"}, ".topic", "no topic of a question"},
		"an escape":                {Question{Ask: "is it?", Answer: "\x1b[2J"}, ".answer", "unprintable"},
		"an escape in a place":     {Question{Ask: "is it?", Topic: TopicKind, Of: []string{"a\x07"}}, ".of[0]", "unprintable"},
		"an endless list":          {Question{Ask: "is it?", Topic: TopicKind, Of: make([]string, 1001)}, ".of", "at most 1000"},
	} {
		field, reason := c.q.check()
		assert.Equal(t, c.field, field, about)
		assert.Contains(t, reason, c.says, about)
	}
	d := &Draft{Format: Format, Title: "T", OS: "linux", Runtime: "native", Locations: []Location{{At: "xdg-data:t/a", Holds: Save, Belongs: Machine}}}
	assert.ErrorContains(t, d.Check(), "settings belong to the machine or the person")
	d.Locations[0].Holds = Config
	require.NoError(t, d.Check())

	// A mistake is told with its place in the text.
	text := "format: endroit/draft/1\ntitle: T\nos: linux\nruntime: native\nlocations:\n  - {at: 'xdg-data:t/a', holds: save}\nquestions:\n  - ask: is it?\n    topic: copy\n    answer: perhaps\n"
	_, err := Parse([]byte(text))
	assert.ErrorContains(t, err, "questions[0].answer")
	assert.ErrorContains(t, err, "line 10")
	_, err = Parse([]byte(strings.Replace(text, "perhaps", "yes", 1)))
	assert.NoError(t, err)
}
