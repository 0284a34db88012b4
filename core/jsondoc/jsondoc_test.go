package jsondoc_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/jsondoc"
)

type inner struct {
	Title string        `json:"title"`
	Size  int64         `json:"size,omitempty"`
	Took  time.Duration `json:"took,omitempty"`
	Data  []byte        `json:"data,omitempty"`
}

type doc struct {
	Draft *inner             `json:"draft,omitempty"`
	List  []inner            `json:"list,omitempty"`
	Share float64            `json:"share,omitempty"`
	Kinds map[string]float64 `json:"kinds,omitempty"`
	Note  string             `json:"note,omitempty"`
}

func TestReadFields(t *testing.T) {
	var d doc
	require.NoError(t, jsondoc.Decode("contribution", []byte(` {"draft":{"title":"A \\u0000 \ud83d\ude00 é","size":9007199254740991,"took":1500,"data":"AAE="},
		"x-own":{"a":1,"b":[1e9,{"Draft":2}]},"list":[{"title":"b","x-mine":null}],"share":0.25,"kinds":{"X-odd":1,"save":2},"note":""} `), &d))
	assert.Equal(t, doc{Draft: &inner{"A \\u0000 😀 é", 1<<53 - 1, 1500, []byte{0, 1}}, List: []inner{{Title: "b"}}, Share: 0.25, Kinds: map[string]float64{"X-odd": 1, "save": 2}}, d)
}

// What two readers could take for two things is refused.
func TestInvalidInput(t *testing.T) {
	for text, want := range map[string]string{
		`{"draft":{"title":"a","Title":"b"}}`:                 "draft.Title: unknown key; keys are case-sensitive, and your own must begin with x-",
		`{"Draft":{"title":"a"}}`:                             "Draft: unknown key; keys are case-sensitive, and your own must begin with x-",
		`{"draft":{"title":"a"},"draft":{"title":"b"}}`:       "draft: duplicate key",
		`{"draft":{"title":"a","title":"a"}}`:                 "draft.title: duplicate key",
		`{"draft":{"title":"a","tit\u006ce":"b"}}`:            "draft.title: duplicate key",
		`{"list":[{"title":"a"},{"titel":"b"}]}`:              "list[1].titel: unknown key; keys are case-sensitive, and your own must begin with x-",
		`{"x-own":{"a":1,"a":2}}`:                             "duplicate key",
		"{\"note\":\"\xff\"}":                                 "invalid JSON after byte",
		"{\"x-\xff\":1}":                                      "invalid JSON after byte",
		`{"note":"\ud800"}`:                                   "invalid JSON after byte",
		`{"note":"\udc00\ud800"}`:                             "invalid JSON after byte",
		`{"note":"a\u0000b"}`:                                 "note: a string contains a NUL character",
		`{"kinds":{"a\u0000":1}}`:                             "a string contains a NUL character",
		`{"share":1e131071}`:                                  "share: the number is out of range",
		`{"share":-1e400}`:                                    "share: the number is out of range",
		`{"share":0.` + strings.Repeat("1", 100) + `}`:        "share: the number is out of range",
		`{"draft":{"title":"a","size":9007199254740993}}`:     "size",
		`{"draft":{"title":"a","size":92233720368547758070}}`: "draft.size: the number is out of range",
		`{"draft":{"title":"a","size":1.5}}`:                  "draft.size: invalid value:",
		`{"draft":{"title":7}}`:                               "draft.title: its value has the wrong type",
		`{"draft":{"title":"a","data":"*"}}`:                  "draft.data: invalid value:",
		`{} {}`:                                               "there is data after it",
		`{}x`:                                                 "invalid JSON after byte",
		``:                                                    "it is empty",
		`{"note":"a"`:                                         "invalid JSON after byte",
		`[]`:                                                  "its value has the wrong type",
		"\xef\xbb\xbf{}":                                      "invalid JSON after byte",
		strings.Repeat(`{"draft":`, 33) + `1` + strings.Repeat(`}`, 33): "nested more than 32 levels deep",
		strings.Repeat(`[`, 1<<20):                                      "nested more than 32 levels deep",
	} {
		var d doc
		err := jsondoc.Decode("contribution", []byte(text), &d)
		var e *jsondoc.Error
		if assert.ErrorAs(t, err, &e, "%.80q", text) {
			assert.Contains(t, err.Error(), want, "%.80q", text)
			assert.Less(t, len(err.Error()), 300)
		}
	}
}

// What is read is what any other reader reads of it.
func FuzzDecode(f *testing.F) {
	for _, text := range []string{`{"draft":{"title":"a"},"x-b":[1]}`, `{"note":"\ud83d\ude00","share":1.5e3}`, `{"draft":{"title":"a","Title":"b"}}`, `{"kinds":{"a":1,"b":2}}`} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var strict, loose doc
		if jsondoc.Decode("x", data, &strict) != nil || bytes.Contains(data, []byte("x-")) {
			return // what is somebody's own is left out, from maps too
		}
		require.NoError(t, json.Unmarshal(data, &loose))
		assert.Equal(t, loose, strict)
	})
}
