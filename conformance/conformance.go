// Package conformance makes the language-neutral test vectors of what published documents
// mean.
//
//	raw, err := conformance.Vectors()
package conformance

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/standing"
)

//go:embed cases.json
var cases []byte

// given is what the vectors are made of.
type given struct {
	Locations []string `json:"locations"`
	Match     []struct {
		Location string            `json:"location"`
		Files    []string          `json:"files"`
		Known    map[string]string `json:"known"`
	} `json:"match"`
	Resolve []struct {
		Machine   string            `json:"machine"`
		Roots     map[string]string `json:"roots"`
		Known     map[string]string `json:"known"`
		Locations []string          `json:"locations"`
		Files     []string          `json:"files"`
	} `json:"resolve"`
	Versions []string `json:"versions"`
	IDs      []string `json:"ids"`
	Shards   []string `json:"shards"`
}

type parsed struct {
	Location string `json:"location"`
	Refused  bool   `json:"refused"`
	Rule     string `json:"rule,omitempty"` // of narrowness
	Why      string `json:"why,omitempty"`
}

type matched struct {
	Location string            `json:"location"`
	File     string            `json:"file"`
	Known    map[string]string `json:"known"`
	Captures map[string]string `json:"captures"` // null where it does not match
}

type resolved struct {
	Machine  string            `json:"machine"`
	Location string            `json:"location"`
	Roots    map[string]string `json:"roots"`
	Known    map[string]string `json:"known"`
	Files    []string          `json:"files"`
	Found    []found           `json:"found"`
}

type found struct {
	Path     string            `json:"path"`
	Captures map[string]string `json:"captures"`
}

type belongs struct {
	Shard   string `json:"shard"`
	ID      string `json:"id"`
	Belongs bool   `json:"belongs"`
}

type ordered struct {
	A     string `json:"a"`
	B     string `json:"b"`
	Order int    `json:"order"`
}

type usable struct {
	Standing standing.Standing `json:"standing"`
	Usable   bool              `json:"usable"`
}

// vectors are all lists of the file.
type vectors struct {
	Parse     []parsed   `json:"parse"`
	Narrow    []parsed   `json:"narrow"`
	Match     []matched  `json:"match"`
	Resolve   []resolved `json:"resolve"`
	Shards    []belongs  `json:"shards"`
	Versions  []ordered  `json:"versions"`
	Standings []usable   `json:"standings"`
}

// Vectors makes the file of vectors from the cases beside this file.
func Vectors() ([]byte, error) {
	var g given
	if err := json.Unmarshal(cases, &g); err != nil {
		return nil, fmt.Errorf("cases.json: %w", err)
	}
	var out vectors
	for _, text := range g.Locations {
		_, err := place.ParseAny(text)
		out.Parse = append(out.Parse, said(text, err))
		if err == nil {
			_, err := place.Parse(text)
			var wide *place.WideError
			if err != nil && !errors.As(err, &wide) {
				return nil, err
			}
			x := said(text, err)
			if wide != nil {
				x.Rule = wide.Rule
			}
			out.Narrow = append(out.Narrow, x)
		}
	}
	for _, m := range g.Match {
		l, err := place.ParseAny(m.Location)
		if err != nil {
			return nil, err
		}
		for _, file := range m.Files {
			c, ok := l.Match(strings.Split(file, "/"), m.Known)
			out.Match = append(out.Match, matched{m.Location, file, known(m.Known), captures(c, ok)})
		}
	}
	for _, r := range g.Resolve {
		for _, text := range r.Locations {
			one, err := resolve(r.Machine, text, r.Roots, r.Known, r.Files)
			if err != nil {
				return nil, err
			}
			out.Resolve = append(out.Resolve, one)
		}
	}
	for _, shard := range g.Shards {
		for _, id := range g.IDs {
			out.Shards = append(out.Shards, belongs{shard, id, manifest.InShard(shard, id)})
		}
	}
	for _, a := range g.Versions {
		for _, b := range g.Versions {
			out.Versions = append(out.Versions, ordered{a, b, sign(standing.CompareVersions(a, b))})
		}
	}
	for _, s := range append(slices.Clone(standing.Standings), "later") {
		out.Standings = append(out.Standings, usable{s, s.Usable()})
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	err := e.Encode(out)
	return b.Bytes(), err
}

func said(text string, err error) parsed {
	p := parsed{Location: text}
	if err != nil {
		p.Refused, p.Why = true, err.Error()
	}
	return p
}

func known(m map[string]string) map[string]string {
	if m == nil {
		return map[string]string{}
	}
	return m
}

func captures(c place.Captures, ok bool) map[string]string {
	if !ok {
		return nil
	}
	return known(maps.Clone(c))
}

// resolve finds the files of a machine that a location covers.
func resolve(machine, text string, roots, fixed map[string]string, files []string) (resolved, error) {
	l, err := place.Parse(text)
	if err != nil {
		return resolved{}, err
	}
	out := resolved{machine, text, roots, known(fixed), files, []found{}}
	top := place.Roots{l.Anchor: roots[string(l.Anchor)]}
	if top[l.Anchor] == "" {
		return out, nil
	}
	for _, file := range files {
		under := top.Place
		if l.Folds() {
			under = top.PlaceFold
		}
		if _, names, ok := under(file); ok {
			if c, ok := l.Match(names, fixed); ok {
				out.Found = append(out.Found, found{file, captures(c, true)})
			}
		}
	}
	return out, nil
}

func sign(n int) int {
	switch {
	case n < 0:
		return -1
	case n > 0:
		return 1
	}
	return 0
}
