// Package jsondoc reads JSON that strangers send: once and strictly. Two readers can make
// two different things of one loose text; of what passes here there is one reading.
//
//	err := jsondoc.Decode("contribution", data, &body)
package jsondoc

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"
)

// The bounds of what is read.
const (
	maxNested = 32
	maxNumber = 32      // characters
	maxWhole  = 1 << 53 // below which every reader tells whole numbers apart (RFC 7493)
)

// Error is what is wrong with a text. Field is written like draft.locations[2].at, empty
// if it is all of it.
type Error struct {
	What   string // what kind of text: contribution
	Field  string
	Reason string
	// Unsound says that it is no JSON that has one reading, whatever it is to be.
	Unsound bool
}

func (e *Error) Error() string {
	at := e.What
	if e.Field != "" {
		at += ": " + e.Field
	}
	return at + ": " + e.Reason
}

// Decode reads a text into v, by its json tags. It refuses, with an *Error: keys that are
// not known, are written in another case or stand twice; text that is not UTF-8, half of a
// surrogate pair or holds a NUL; numbers that no field could hold; more than one value;
// nesting deeper than 32 levels. Keys that begin with x- are somebody's own, and are left
// out. What data is longer than has to be refused before.
func Decode(what string, data []byte, v any) error {
	plain := data
	extended, err := check(data, nil)
	if err == nil && extended {
		var out bytes.Buffer
		_, err = check(data, jsontext.NewEncoder(&out))
		plain = out.Bytes()
	}
	if err == nil {
		err = json.Unmarshal(plain, v, json.RejectUnknownMembers(true), jsonv1.FormatDurationAsNano(true))
	}
	if err == nil {
		return nil
	}
	e := &Error{What: what, Reason: err.Error()}
	var (
		bad      *Error
		syntax   *jsontext.SyntacticError
		semantic *json.SemanticError
	)
	switch {
	case err == io.EOF:
		e.Unsound, e.Reason = true, "it is empty"
	case errors.As(err, &bad):
		e.Field, e.Reason, e.Unsound = bad.Field, bad.Reason, bad.Unsound
	case errors.As(err, &syntax):
		e.Unsound = true
		e.Field, e.Reason = field(syntax.JSONPointer), fmt.Sprintf(
			"invalid JSON after byte %[2]d: %[1]v", syntax.Err, syntax.ByteOffset,
		)
		if errors.Is(err, jsontext.ErrDuplicateName) {
			e.Reason = "duplicate key"
		}
	case errors.As(err, &semantic):
		e.Field = field(semantic.JSONPointer)
		switch {
		case errors.Is(err, json.ErrUnknownName):
			e.Reason = "unknown key; keys are case-sensitive, and your own must begin with x-"
		case semantic.Err != nil:
			e.Reason = "invalid value: " + semantic.Err.Error()
		default:
			e.Reason = "its value has the wrong type"
		}
	}
	return e
}

// check reports what a reading by type does not see, and whether a text has what is
// somebody's own. To writes it without that, if it is not nil.
func check(data []byte, to *jsontext.Encoder) (extended bool, err error) {
	from := jsontext.NewDecoder(bytes.NewBuffer(data))
	for first := true; first || from.StackDepth() > 0; first = false {
		token, err := from.ReadToken()
		if err != nil {
			return false, err
		}
		if from.StackDepth() > maxNested {
			return false, &Error{Unsound: true, Reason: fmt.Sprintf("it is nested more than %d levels deep", maxNested)}
		}
		switch token.Kind() {
		case '"':
			text := token.String()
			if strings.Contains(text, "\x00") {
				return false, &Error{Field: field(from.StackPointer()), Reason: "a string contains a NUL character"}
			}
			if isKey(from) && strings.HasPrefix(text, "x-") {
				if err := from.SkipValue(); err != nil {
					return false, err
				}
				extended = true
				continue
			}
		case '0':
			if n, err := strconv.ParseFloat(token.String(), 64); err != nil || len(token.String()) > maxNumber ||
				math.Abs(n) >= maxWhole {
				return false, &Error{Field: field(from.StackPointer()), Reason: "the number is out of range"}
			}
		}
		if to == nil {
			continue
		}
		if err := to.WriteToken(token); err != nil {
			return false, err
		}
	}
	if _, err := from.ReadToken(); err == nil {
		return false, &Error{Reason: "there is data after it"}
	} else if !errors.Is(err, io.EOF) {
		return false, err
	}
	return extended, nil
}

// isKey reports whether the token that was read last is a key.
func isKey(d *jsontext.Decoder) bool {
	kind, n := d.StackIndex(d.StackDepth())
	return kind == '{' && n%2 == 1
}

// field writes a pointer (RFC 6901) as fields are written elsewhere.
func field(p jsontext.Pointer) string {
	var out strings.Builder
	for part := range p.Tokens() {
		if _, err := strconv.ParseUint(part, 10, 32); err == nil {
			out.WriteString("[" + part + "]")
			continue
		}
		if out.Len() > 0 {
			out.WriteByte('.')
		}
		out.WriteString(clipped(part))
	}
	return out.String()
}

// clipped is a key to be shown: a stranger's can be anything.
func clipped(key string) string {
	if len(key) > 60 {
		key = strings.ToValidUTF8(key[:60], "") + "…"
	}
	quoted := strconv.Quote(key)
	return quoted[1 : len(quoted)-1]
}
