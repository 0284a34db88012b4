package yamldoc

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// unknown begins the message about an unknown key.
const unknown = "unknown field "

// fill puts a document's values into a structure, by its yaml tags.
func fill(n *yaml.Node, v any) error {
	return put(n, reflect.ValueOf(v).Elem(), "")
}

// put is one value. A text takes whatever stands there as one word: 1.10 stays 1.10.
func put(n *yaml.Node, v reflect.Value, field string) error {
	if isNull(n) {
		return nil
	}
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			v.Set(reflect.New(v.Type().Elem()))
		}
		return put(n, v.Elem(), field)
	case reflect.Struct:
		return putStruct(n, v, field)
	case reflect.Map:
		return putMap(n, v, field)
	case reflect.Slice:
		if n.Kind != yaml.SequenceNode {
			return at(n, field, "expected a list")
		}
		list := reflect.MakeSlice(v.Type(), len(n.Content), len(n.Content))
		for i, c := range n.Content {
			if err := put(c, list.Index(i), fmt.Sprintf("%s[%d]", field, i)); err != nil {
				return err
			}
		}
		v.Set(list)
		return nil
	case reflect.Interface:
		t, err := tree(n)
		if err == nil {
			v.Set(reflect.ValueOf(t))
		}
		return err
	}
	if n.Kind != yaml.ScalarNode {
		return at(n, field, "expected a single value")
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(n.Value)
	case reflect.Int, reflect.Int64:
		i, err := strconv.ParseInt(n.Value, 0, v.Type().Bits())
		if err != nil || n.Tag != "!!int" {
			return at(n, field, "%.60q is not an integer", n.Value)
		}
		v.SetInt(i)
	case reflect.Bool:
		if n.Tag != "!!bool" {
			return at(n, field, "%.60q is not true or false", n.Value)
		}
		v.SetBool(strings.EqualFold(n.Value, "true"))
	default:
		panic("yamldoc: fields of kind " + v.Kind().String() + " are not read")
	}
	return nil
}

func isNull(n *yaml.Node) bool { return n.Kind == yaml.ScalarNode && n.Tag == "!!null" }

// below is the name of a field in another.
func below(field, name string) string {
	if field == "" {
		return name
	}
	return field + "." + name
}

func putStruct(n *yaml.Node, v reflect.Value, field string) error {
	if n.Kind != yaml.MappingNode {
		return at(n, field, "expected keys and values")
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key := n.Content[i].Value
		f, ok := named(v, key)
		if !ok {
			if strings.HasPrefix(key, "x-") {
				continue
			}
			return at(n.Content[i], field, unknown+"%.60s", strconv.Quote(key))
		}
		if err := put(n.Content[i+1], f, below(field, key)); err != nil {
			return err
		}
	}
	return nil
}

// named finds a structure's field by its yaml tag, in those that are part of it too.
func named(v reflect.Value, key string) (reflect.Value, bool) {
	for i := range v.NumField() {
		tag, has := v.Type().Field(i).Tag.Lookup("yaml")
		if !has {
			continue
		}
		name, options, _ := strings.Cut(tag, ",")
		if options == "inline" {
			if f, ok := named(v.Field(i), key); ok {
				return f, true
			}
		} else if name == key {
			return v.Field(i), true
		}
	}
	return reflect.Value{}, false
}

func putMap(n *yaml.Node, v reflect.Value, field string) error {
	if n.Kind != yaml.MappingNode {
		return at(n, field, "expected keys and values")
	}
	m := reflect.MakeMap(v.Type())
	for i := 0; i+1 < len(n.Content); i += 2 {
		value := reflect.New(v.Type().Elem()).Elem()
		if err := put(n.Content[i+1], value, below(field, n.Content[i].Value)); err != nil {
			return err
		}
		m.SetMapIndex(reflect.ValueOf(n.Content[i].Value).Convert(v.Type().Key()), value)
	}
	v.Set(m)
	return nil
}

// tree gives what stands there without a structure that says what is wanted.
func tree(n *yaml.Node) (any, error) {
	switch n.Kind {
	case yaml.MappingNode:
		out := make(map[string]any, len(n.Content)/2)
		for i := 0; i+1 < len(n.Content); i += 2 {
			v, err := tree(n.Content[i+1])
			if err != nil {
				return nil, err
			}
			out[n.Content[i].Value] = v
		}
		return out, nil
	case yaml.SequenceNode:
		out := make([]any, len(n.Content))
		for i, c := range n.Content {
			v, err := tree(c)
			if err != nil {
				return nil, err
			}
			out[i] = v
		}
		return out, nil
	}
	switch n.Tag {
	case "!!null":
		return nil, nil
	case "!!bool":
		return strings.EqualFold(n.Value, "true"), nil
	case "!!int", "!!float":
		if json.Valid([]byte(n.Value)) {
			return json.Number(n.Value), nil
		}
		if digits, hex := strings.CutPrefix(n.Value, "0x"); hex {
			if i, err := strconv.ParseUint(digits, 16, 64); err == nil {
				return json.Number(strconv.FormatUint(i, 10)), nil
			}
		}
	}
	return n.Value, nil
}
