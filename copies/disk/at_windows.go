package disk

import (
	"encoding/binary"
	"errors"
	"os"
	"path/filepath"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Rename gives a file another name in its folder, in the place of what has it. Where the file
// system, or Wine, lacks the newer way by which os.Root does it, the older one is taken.
func Rename(root *os.Root, from, to string) error {
	err := root.Rename(from, to)
	if !lacking(err) {
		return err
	}
	return inFolder(root, func(folder windows.Handle) error {
		h, err := openIn(folder, from, windows.DELETE|windows.SYNCHRONIZE)
		if err != nil {
			return err
		}
		defer windows.CloseHandle(h)
		name, err := windows.UTF16FromString(filepath.FromSlash(to))
		if err != nil {
			return err
		}
		name = name[:len(name)-1]
		// FILE_RENAME_INFORMATION: whether to replace, the folder, the name's length, the name.
		const head = 2 * unsafe.Sizeof(uintptr(0))
		data := make([]byte, head+4, int(head)+4+2*len(name))
		data[0] = 1
		binary.LittleEndian.PutUint64(data[head-8:], uint64(folder))
		binary.LittleEndian.PutUint32(data[head:], uint32(2*len(name)))
		for _, u := range name {
			data = binary.LittleEndian.AppendUint16(data, u)
		}
		var status windows.IO_STATUS_BLOCK
		return windows.NtSetInformationFile(h, &status, &data[0], uint32(len(data)), windows.FileRenameInformation)
	})
}

// Remove removes a file, or an empty folder, by the way of Rename.
func Remove(root *os.Root, name string) error {
	err := root.Remove(name)
	if !lacking(err) {
		return err
	}
	return inFolder(root, func(folder windows.Handle) error {
		h, err := openIn(folder, name, windows.DELETE|windows.SYNCHRONIZE)
		if err != nil {
			return err
		}
		defer windows.CloseHandle(h)
		var status windows.IO_STATUS_BLOCK
		yes := byte(1)
		return windows.NtSetInformationFile(h, &status, &yes, 1, windows.FileDispositionInformation)
	})
}

// RemoveAll removes a folder with all that is in it, by the way of Rename.
func RemoveAll(path string) error {
	if err := os.RemoveAll(path); !lacking(err) {
		return err
	}
	entries, err := os.ReadDir(path)
	if err != nil {
		return err
	}
	for _, e := range entries {
		at := filepath.Join(path, e.Name())
		if e.IsDir() {
			err = RemoveAll(at)
		} else {
			err = os.Remove(at)
		}
		if err != nil {
			return err
		}
	}
	return os.Remove(path)
}

// lacking reports whether something is not there to be called.
func lacking(err error) bool {
	return errors.Is(err, windows.ERROR_INVALID_FUNCTION) || errors.Is(err, windows.ERROR_NOT_SUPPORTED) ||
		errors.Is(err, windows.ERROR_CALL_NOT_IMPLEMENTED) || errors.Is(err, windows.ERROR_INVALID_PARAMETER)
}

func inFolder(root *os.Root, do func(folder windows.Handle) error) error {
	folder, err := root.Open(".")
	if err != nil {
		return err
	}
	defer folder.Close()
	err = do(windows.Handle(folder.Fd()))
	var status windows.NTStatus
	if errors.As(err, &status) {
		return status.Errno()
	}
	return err
}

// openIn opens what has a name below a folder: a link itself, and not what it leads to.
func openIn(folder windows.Handle, name string, access uint32) (h windows.Handle, err error) {
	text, err := windows.NewNTUnicodeString(filepath.FromSlash(name))
	if err != nil {
		return 0, err
	}
	at := windows.OBJECT_ATTRIBUTES{RootDirectory: folder, ObjectName: text, Attributes: windows.OBJ_CASE_INSENSITIVE}
	at.Length = uint32(unsafe.Sizeof(at))
	var status windows.IO_STATUS_BLOCK
	err = windows.NtCreateFile(
		&h, access, &at, &status, nil, 0, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE|windows.FILE_SHARE_DELETE, windows.FILE_OPEN,
		windows.FILE_OPEN_REPARSE_POINT|windows.FILE_OPEN_FOR_BACKUP_INTENT|windows.FILE_SYNCHRONOUS_IO_NONALERT, 0, 0,
	)
	return h, err
}
