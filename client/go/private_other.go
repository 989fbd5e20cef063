//go:build !(darwin || dragonfly || freebsd || illumos || linux || netbsd || openbsd || windows)

package firethorn

import (
	"errors"
	"io/fs"
	"os"
)

// Whose a file is, and whether its process lives, is not known on this
// system: nothing is kept on disk.
func ownedByUs(fs.FileInfo) bool        { return false }
func writableByOthers(fs.FileInfo) bool { return true }

func claim(*os.Root, string, bool) (*os.File, error) { return nil, errors.ErrUnsupported }
func mapFile(*os.Root, string, int) ([]byte, error)  { return nil, errors.ErrUnsupported }
