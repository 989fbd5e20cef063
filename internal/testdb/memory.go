package testdb

import (
	"os"
	"syscall"
)

// memory is a file system in memory, and memoryRoom how many bytes must be free there.
const (
	memory     = "/dev/shm"
	memoryRoom = 6 << 30
)

// InMemory lets a test program put its temporary files into memory, where the machine
// has a file system for that: databases sync their files thousands of times, which is
// most of what such tests wait for. A TMPDIR that is set stays.
func InMemory() {
	var st syscall.Statfs_t
	if os.Getenv("TMPDIR") != "" || syscall.Statfs(memory, &st) != nil || int64(st.Bavail)*st.Bsize < memoryRoom {
		return
	}
	_ = os.Setenv("TMPDIR", memory) // without it tests take longer, no more
}
