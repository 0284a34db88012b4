package registry

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unsafe"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"endroit/core/hive"
)

// The bounds of one read.
const (
	mostKeys  = 10_000
	mostDepth = 64
)

// view is the registry of 64-bit programs: where 32-bit ones are led instead is a key there.
const view = registry.WOW64_64KEY

func rootKey(name string) registry.Key {
	if name == "HKEY_LOCAL_MACHINE" {
		return registry.LOCAL_MACHINE
	}
	return registry.CURRENT_USER
}

func readOwn(root, path string) (tree []hive.Branch, changed time.Time, err error) {
	err = readKey(rootKey(root), path, "", 0, &tree, &changed)
	if errors.Is(err, registry.ErrNotExist) && len(tree) == 0 {
		return nil, time.Time{}, nil
	}
	return tree, changed, err
}

func readKey(root registry.Key, path, rel string, depth int, tree *[]hive.Branch, changed *time.Time) error {
	if len(*tree) == mostKeys || depth == mostDepth {
		return fmt.Errorf("it has more than %d keys, or more than %d levels", mostKeys, mostDepth)
	}
	k, err := registry.OpenKey(root, path, registry.READ|view)
	if err != nil {
		return err
	}
	defer k.Close()
	if info, err := k.Stat(); err == nil && info.ModTime().After(*changed) {
		*changed = info.ModTime()
	}
	names, err := k.ReadValueNames(-1)
	if err != nil {
		return err
	}
	b := hive.Branch{Path: rel}
	for _, n := range names {
		v, err := readValue(k, n)
		if err != nil {
			return fmt.Errorf("the value %q: %w", n, err)
		}
		b.Values = append(b.Values, v)
	}
	*tree = append(*tree, b)
	keys, err := k.ReadSubKeyNames(-1)
	if err != nil {
		return err
	}
	for _, n := range keys {
		if err := readKey(root, path+`\`+n, strings.TrimPrefix(rel+`\`+n, `\`), depth+1, tree, changed); err != nil {
			return err
		}
	}
	return nil
}

func readValue(k registry.Key, name string) (hive.Raw, error) {
	for buffer := make([]byte, 256); ; {
		n, kind, err := k.GetValue(name, buffer)
		switch {
		case errors.Is(err, registry.ErrShortBuffer):
			if n > 16<<20 {
				return hive.Raw{}, fmt.Errorf("it has %d bytes", n)
			}
			buffer = make([]byte, max(n, 2*len(buffer)))
		case err != nil:
			return hive.Raw{}, err
		default:
			return hive.Raw{Name: name, Kind: hive.Kind(kind), Data: slices.Clone(buffer[:n])}, nil
		}
	}
}

func writeOwn(root, path string, tree []hive.Branch) error {
	top := rootKey(root)
	want := map[string]bool{}
	for _, b := range tree {
		want[b.Path] = true
	}
	if err := removeOther(top, path, "", want, len(tree) == 0); err != nil {
		return err
	}
	for _, b := range tree {
		whole := path
		if b.Path != "" {
			whole += `\` + b.Path
		}
		if err := writeKey(top, whole, b.Values); err != nil {
			return err
		}
	}
	return nil
}

// removeOther removes the keys that are not wanted, the inner ones first. One that is called
// so but for letters' case is another: it would keep its name.
func removeOther(root registry.Key, path, rel string, want map[string]bool, all bool) error {
	k, err := registry.OpenKey(root, path, registry.READ|view)
	if errors.Is(err, registry.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	keys, err := k.ReadSubKeyNames(-1)
	_ = k.Close()
	if err != nil {
		return err
	}
	for _, n := range keys {
		if err := removeOther(root, path+`\`+n, strings.TrimPrefix(rel+`\`+n, `\`), want, all); err != nil {
			return err
		}
	}
	if !all && (rel == "" || want[rel] || holds(want, rel)) {
		return nil
	}
	return deleteKey(root, path)
}

// holds reports whether a key below is wanted.
func holds(want map[string]bool, rel string) bool {
	below := rel + `\`
	for path := range want {
		if strings.HasPrefix(path, below) {
			return true
		}
	}
	return false
}

func writeKey(root registry.Key, path string, values []hive.Raw) error {
	k, _, err := registry.CreateKey(root, path, registry.READ|registry.WRITE|view)
	if err != nil {
		return err
	}
	defer k.Close()
	want := map[string]bool{}
	for _, v := range values {
		want[v.Name] = true
	}
	names, err := k.ReadValueNames(-1)
	if err != nil {
		return err
	}
	for _, n := range names {
		if !want[n] {
			if err := k.DeleteValue(n); err != nil && !errors.Is(err, registry.ErrNotExist) {
				return err
			}
		}
	}
	for _, v := range values {
		if err := setValue(k, v); err != nil {
			return fmt.Errorf("the value %q: %w", v.Name, err)
		}
	}
	return nil
}

var (
	advapi32     = windows.NewLazySystemDLL("advapi32.dll")
	regSetValue  = advapi32.NewProc("RegSetValueExW")
	regDeleteKey = advapi32.NewProc("RegDeleteKeyExW")
)

// setValue sets a value of any kind to bytes (RegSetValueExW).
func setValue(k registry.Key, v hive.Raw) error {
	name, err := windows.UTF16PtrFromString(v.Name)
	if err != nil {
		return err
	}
	// Of a text that nothing ends, the zero that happens to follow in memory would be taken.
	data := append(slices.Clone(v.Data), 0xff, 0xff)
	code, _, _ := regSetValue.Call(
		uintptr(k), uintptr(unsafe.Pointer(name)), 0, uintptr(v.Kind), uintptr(unsafe.Pointer(&data[0])), uintptr(len(v.Data)),
	)
	if code != 0 {
		return windows.Errno(code)
	}
	return nil
}

// deleteKey removes a key that has none below it, in the 64-bit view (RegDeleteKeyExW).
func deleteKey(root registry.Key, path string) error {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return err
	}
	code, _, _ := regDeleteKey.Call(uintptr(root), uintptr(unsafe.Pointer(name)), uintptr(view), 0)
	if err := windows.Errno(code); code != 0 && !errors.Is(err, registry.ErrNotExist) {
		return err
	}
	return nil
}
