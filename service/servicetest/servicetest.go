// Package servicetest holds a server's answers to the OpenAPI document, in tests.
//
//	doc := servicetest.Load("openapi.yaml", func(path string) bool { return true })
//	http.DefaultTransport = doc
//	complaints := doc.Finish()
package servicetest

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"maps"
	"net/http"
	"os"
	"sort"
	"strings"
	"sync"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
)

// Document is the OpenAPI document, as far as tests read it.
type Document struct {
	Paths    map[string]map[string]operation `json:"paths"`
	raw      any
	compiler *jsonschema.Compiler
	mu       sync.Mutex
	schemas  map[string]*jsonschema.Schema
	used     map[string]bool // operations that a test called
	broken   []string        // answers that are not what the document says
}

// Load reads the document's file, with only those paths that keep takes. It panics if it
// cannot: no test can go on.
func Load(file string, keep func(path string) bool) *Document {
	text, err := os.ReadFile(file)
	if err != nil {
		panic(err)
	}
	d := &Document{compiler: jsonschema.NewCompiler(), schemas: map[string]*jsonschema.Schema{}, used: map[string]bool{}}
	asJSON, err := yaml.YAMLToJSON(text)
	if err != nil {
		panic(err)
	}
	if err := yaml.Unmarshal(asJSON, d); err != nil {
		panic(err)
	}
	maps.DeleteFunc(d.Paths, func(path string, _ map[string]operation) bool { return !keep(path) })
	if d.raw, err = jsonschema.UnmarshalJSON(bytes.NewReader(asJSON)); err != nil {
		panic(err)
	}
	d.compiler.DefaultDraft(jsonschema.Draft2020)
	d.compiler.AssertFormat()
	if err := d.compiler.AddResource("openapi.json", d.raw); err != nil {
		panic(err)
	}
	return d
}

type operation struct {
	RequestBody any            `json:"requestBody"`
	Responses   map[string]any `json:"responses"`
}

// at follows a JSON pointer, and references on the way.
func (d *Document) at(pointer string) (string, any) {
	here, node := "", d.raw
	for _, name := range strings.Split(strings.TrimPrefix(pointer, "/"), "/") {
		m, ok := node.(map[string]any)
		if !ok {
			return "", nil
		}
		if ref, ok := m["$ref"].(string); ok {
			here, node = d.at(strings.TrimPrefix(ref, "#"))
			if m, ok = node.(map[string]any); !ok {
				return "", nil
			}
		}
		here, node = here+"/"+name, m[strings.NewReplacer("~1", "/", "~0", "~").Replace(name)]
	}
	return here, node
}

func (d *Document) schema(pointer string) (*jsonschema.Schema, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if s := d.schemas[pointer]; s != nil {
		return s, nil
	}
	s, err := d.compiler.Compile("openapi.json#" + pointer)
	d.schemas[pointer] = s
	return s, err
}

// operation finds the path template that an address belongs to; fixed names
// win over parameters.
func (d *Document) operation(method, path string) (template string) {
	best := -1
	for t := range d.Paths {
		want, have := strings.Split(t, "/"), strings.Split(path, "/")
		fixed := 0
		match := len(want) == len(have)
		for i := 0; match && i < len(want); i++ {
			switch {
			case want[i] == have[i]:
				fixed++
			case !strings.HasPrefix(want[i], "{"):
				match = false
			}
		}
		if match && fixed > best && d.Paths[t][strings.ToLower(method)].Responses != nil {
			best, template = fixed, t
		}
	}
	return template
}

// RoundTrip makes every call of every test and holds the answer to the document.
func (d *Document) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := transport.RoundTrip(r)
	path, inAPI := strings.CutPrefix(r.URL.Path, "/api/v1")
	if err != nil || !inAPI {
		return answer, err
	}
	body, err := io.ReadAll(answer.Body)
	_ = answer.Body.Close()
	answer.Body = io.NopCloser(bytes.NewReader(body))
	if err != nil {
		return answer, err
	}
	if r.Method == http.MethodHead { // as GET, without the body
		return answer, err
	}
	if complaint := d.check(r.Method, path, answer, body); complaint != "" {
		d.mu.Lock()
		d.broken = append(d.broken, fmt.Sprintf("%s %s answered %d: %s", r.Method, path, answer.StatusCode, complaint))
		d.mu.Unlock()
	}
	return answer, nil
}

var transport = http.DefaultTransport

func (d *Document) check(method, path string, answer *http.Response, body []byte) string {
	template := d.operation(method, path)
	if template == "" {
		if answer.StatusCode >= 400 {
			return "" // an address that there is not
		}
		return "the document has no such operation"
	}
	name := strings.ToLower(method)
	d.mu.Lock()
	d.used[method+" "+template] = true
	d.mu.Unlock()
	escaped := strings.ReplaceAll(template, "/", "~1")
	status := fmt.Sprint(answer.StatusCode)
	if d.Paths[template][name].Responses[status] == nil {
		if answer.StatusCode < 400 {
			return "the document does not list this status"
		}
		status = "default"
	}
	kind, _, _ := strings.Cut(answer.Header.Get("Content-Type"), ";")
	pointer, content := d.at("/paths/" + escaped + "/" + name + "/responses/" + status + "/content")
	if content == nil {
		if len(body) > 0 {
			return "a body where the document has none"
		}
		return ""
	}
	pointer, media := d.at(pointer + "/" + strings.ReplaceAll(kind, "/", "~1") + "/schema")
	if media == nil {
		return "content of type " + kind
	}
	if !strings.Contains(kind, "json") {
		return ""
	}
	schema, err := d.schema(pointer)
	if err != nil {
		return err.Error()
	}
	var text io.Reader = bytes.NewReader(body)
	if answer.Header.Get("Content-Encoding") == "gzip" {
		if text, err = gzip.NewReader(text); err != nil {
			return err.Error()
		}
	}
	value, err := jsonschema.UnmarshalJSON(text)
	if err != nil {
		return err.Error()
	}
	if err := schema.Validate(value); err != nil {
		return fmt.Sprintf("%v", err)
	}
	return ""
}

// Finish reports what the whole run of the tests found.
func (d *Document) Finish() (complaints []string) {
	complaints = d.broken
	for t, methods := range d.Paths {
		for m := range methods {
			if name := strings.ToUpper(m) + " " + t; !d.used[name] {
				complaints = append(complaints, "no test calls "+name)
			}
		}
	}
	sort.Strings(complaints)
	return complaints
}

// Listed are its operations: GET /titles.
func (d *Document) Listed() (list []string) {
	for path, methods := range d.Paths {
		for m := range methods {
			list = append(list, strings.ToUpper(m)+" "+path)
		}
	}
	sort.Strings(list)
	return list
}
