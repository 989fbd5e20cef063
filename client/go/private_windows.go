package firethorn

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
)

// The user's cache directory is the user's own on this system.
func ownedByUs(fs.FileInfo) bool        { return true }
func writableByOthers(fs.FileInfo) bool { return false }

// claim opens a file that nobody else can open meanwhile.
func claim(root *os.Root, name string, create bool) (*os.File, error) {
	how := uint32(syscall.OPEN_EXISTING)
	if create {
		how = syscall.CREATE_NEW
	}
	path := filepath.Join(root.Name(), name)
	wide, err := syscall.UTF16PtrFromString(path)
	if err != nil {
		return nil, err
	}
	const sharingViolation = syscall.Errno(32)
	h, err := syscall.CreateFile(
		wide,
		syscall.GENERIC_READ|syscall.GENERIC_WRITE,
		0,
		nil,
		how,
		syscall.FILE_ATTRIBUTE_NORMAL,
		0,
	)
	if errors.Is(err, sharingViolation) {
		return nil, errClaimed
	}
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: path, Err: err}
	}
	return os.NewFile(uintptr(h), path), nil
}

// mapFile does not exist here: a crash is reported without breadcrumbs.
func mapFile(*os.Root, string, int) ([]byte, error) { return nil, errors.ErrUnsupported }
