package machine

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"endroit/core/sheet"
)

// The bounds of one read of the registry.
const (
	registryDepth = 8
	registryKeys  = 20_000
)

// registryKey reads a key with the keys and values in it, in the 64-bit view.
func registryKey(names []string) (any, error) {
	root := registry.CURRENT_USER
	if strings.EqualFold(names[0], "HKEY_LOCAL_MACHINE") {
		root = registry.LOCAL_MACHINE
	}
	left := registryKeys
	tree, err := readKey(root, strings.Join(names[1:], `\`), registryDepth, &left)
	if errors.Is(err, registry.ErrNotExist) {
		return nil, sheet.ErrNotThere
	}
	return tree, err
}

func readKey(root registry.Key, path string, depth int, left *int) (map[string]any, error) {
	if *left--; *left < 0 || depth == 0 {
		return nil, fmt.Errorf("it holds more than %d keys, or more than %d levels", registryKeys, registryDepth)
	}
	k, err := registry.OpenKey(root, path, registry.READ|registry.WOW64_64KEY)
	if err != nil {
		return nil, err
	}
	defer k.Close()
	tree, values := map[string]any{}, map[string]any{}
	names, err := k.ReadValueNames(-1)
	if err != nil {
		return nil, err
	}
	for _, n := range names {
		if text, _, err := k.GetStringValue(n); err == nil {
			values[n] = text
		} else if number, _, err := k.GetIntegerValue(n); err == nil {
			values[n] = json.Number(fmt.Sprint(number))
		} else if list, _, err := k.GetStringsValue(n); err == nil {
			values[n] = strings.Join(list, "\n")
		}
	}
	tree["#values"] = values
	keys, err := k.ReadSubKeyNames(-1)
	if err != nil {
		return nil, err
	}
	for _, n := range keys {
		inner, err := readKey(root, path+`\`+n, depth-1, left)
		if errors.Is(err, registry.ErrNotExist) || errors.Is(err, windows.ERROR_ACCESS_DENIED) {
			continue // removed just now, or not for this user
		}
		if err != nil {
			return nil, err
		}
		tree[n] = inner
	}
	return tree, nil
}

// OwnKey reports whether the registry of this Windows has a key, by its names below the
// anchor, and how many values it has.
func OwnKey(names []string) (values int, found bool, err error) {
	root := registry.CURRENT_USER
	if strings.EqualFold(names[0], "HKEY_LOCAL_MACHINE") {
		root = registry.LOCAL_MACHINE
	}
	k, err := registry.OpenKey(root, strings.Join(names[1:], `\`), registry.QUERY_VALUE|registry.WOW64_64KEY)
	if errors.Is(err, registry.ErrNotExist) {
		return 0, false, nil
	}
	if err != nil {
		return 0, false, err
	}
	defer k.Close()
	info, err := k.Stat()
	if err != nil {
		return 0, false, err
	}
	return int(info.ValueCount), true, nil
}
