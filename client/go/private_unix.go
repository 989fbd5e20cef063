//go:build darwin || dragonfly || freebsd || illumos || linux || netbsd || openbsd

package firethorn

import (
	"errors"
	"io/fs"
	"os"
	"syscall"
)

func ownedByUs(info fs.FileInfo) bool {
	s, ok := info.Sys().(*syscall.Stat_t)
	return ok && int(s.Uid) == os.Geteuid()
}

func writableByOthers(info fs.FileInfo) bool { return info.Mode().Perm()&0o022 != 0 }

// claim opens a file so that no other process can claim it while this one
// lives. errClaimed says that another does.
func claim(root *os.Root, name string, create bool) (*os.File, error) {
	flags, how := os.O_RDWR, syscall.LOCK_EX|syscall.LOCK_NB
	if create {
		// A process that looks at it in this moment lets go at once.
		flags, how = flags|os.O_CREATE|os.O_EXCL, syscall.LOCK_EX
	}
	f, err := root.OpenFile(name, flags|syscall.O_NOFOLLOW, 0o600)
	if err != nil {
		return nil, err
	}
	for {
		err = syscall.Flock(int(f.Fd()), how)
		if !errors.Is(err, syscall.EINTR) {
			break
		}
	}
	if err == nil {
		return f, nil
	}
	_ = f.Close() // nothing was written
	if errors.Is(err, syscall.EWOULDBLOCK) {
		return nil, errClaimed
	}
	return nil, err
}

// mapFile makes a file of so many bytes and maps it into memory. Every byte is
// written first: a page that has no place on the disk yet could not get one
// later.
func mapFile(root *os.Root, name string, size int) ([]byte, error) {
	f, err := root.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if _, err := f.Write(make([]byte, size)); err != nil {
		return nil, err
	}
	return syscall.Mmap(int(f.Fd()), 0, size, syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_SHARED)
}
