package draft

import (
	"bytes"
	"fmt"

	"go.yaml.in/yaml/v4"

	"endroit/core/yamldoc"
)

// Rewrite writes a draft into the text that it was read from: comments, the order of keys
// and keys that begin with x- stay; of the values only those that changed are replaced.
// Locations are recognised by their at.
func Rewrite(text []byte, d *Draft) ([]byte, error) {
	if _, err := yamldoc.Decode("draft", text, MaxBytes, &Draft{}); err != nil { // it is bounded, and has no anchors
		return nil, err
	}
	plain, err := d.Text()
	if err != nil {
		return nil, err
	}
	var old, next yaml.Node
	if err := yaml.Unmarshal(text, &old); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if err := yaml.Unmarshal(plain, &next); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	merge(old.Content[0], next.Content[0])
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	if err := e.Encode(&old); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if err := e.Close(); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if _, err := Parse(out.Bytes()); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	return out.Bytes(), nil
}

// merge puts the values of next into old.
func merge(old, next *yaml.Node) {
	switch {
	case old.Kind == yaml.MappingNode && next.Kind == yaml.MappingNode:
		mergeKeys(old, next)
	case old.Kind == yaml.SequenceNode && next.Kind == yaml.SequenceNode:
		mergeItems(old, next)
	case old.Kind == yaml.ScalarNode && next.Kind == yaml.ScalarNode:
		if old.Value != next.Value || old.ShortTag() != next.ShortTag() {
			old.Value, old.Tag, old.Style = next.Value, next.Tag, next.Style
		}
	default:
		head, line, foot := old.HeadComment, old.LineComment, old.FootComment
		*old = *next
		old.HeadComment, old.LineComment, old.FootComment = head, line, foot
	}
}

func mergeKeys(old, next *yaml.Node) {
	value := map[string]*yaml.Node{}
	for i := 0; i+1 < len(next.Content); i += 2 {
		value[next.Content[i].Value] = next.Content[i+1]
	}
	var content []*yaml.Node
	for i := 0; i+1 < len(old.Content); i += 2 {
		k, v := old.Content[i], old.Content[i+1]
		if n := value[k.Value]; n != nil {
			merge(v, n)
			delete(value, k.Value)
		} else if len(k.Value) < 2 || k.Value[:2] != "x-" {
			continue // it is gone
		}
		content = append(content, k, v)
	}
	for i := 0; i+1 < len(next.Content); i += 2 {
		if value[next.Content[i].Value] != nil {
			content = append(content, next.Content[i], next.Content[i+1])
		}
	}
	old.Content = content
}

// mergeItems keeps of a list the items that are there still, in the new order.
func mergeItems(old, next *yaml.Node) {
	used := make([]bool, len(old.Content))
	var content []*yaml.Node
	for _, n := range next.Content {
		found := -1
		for i, o := range old.Content {
			if !used[i] && identity(o) == identity(n) {
				found = i
				break
			}
		}
		if found < 0 {
			content = append(content, n)
			continue
		}
		used[found] = true
		merge(old.Content[found], n)
		content = append(content, old.Content[found])
	}
	old.Content = content
}

// identity is what an item of a list is recognised by: its at or file, or its own text.
func identity(n *yaml.Node) string {
	if n.Kind == yaml.MappingNode {
		for i := 0; i+1 < len(n.Content); i += 2 {
			if k := n.Content[i].Value; k == "at" || k == "sha256" {
				return k + " " + n.Content[i+1].Value
			}
		}
	}
	return n.Value
}
