package localdb

import (
	"os"
	"strconv"
	"strings"
)

// Sizes of the server's memory and log, in MiB.
const (
	leastPool, maxPool = 128, 32 << 10
	leastLog, maxLog   = 96, 2 << 10
	unknownPool        = 512 // where nothing says how much memory there is
)

// Memory is how much memory this process may use, in MiB; 0 where nothing says it.
func Memory() int64 {
	machine, _ := os.ReadFile("/proc/meminfo")
	group, _ := os.ReadFile("/sys/fs/cgroup/memory.max")
	return memoryOf(string(machine), string(group))
}

// DefaultPool is the size of the buffer pool of a server that shares this machine with the
// service, in MiB: a quarter of the memory that this process may use.
func DefaultPool() int64 { return poolOf(Memory()) }

// memoryOf reads what Linux says of the machine (proc(5), MemTotal in KiB) and of the control
// group (cgroup v2, memory.max in bytes, or max).
func memoryOf(machine, group string) (memory int64) {
	for line := range strings.Lines(machine) {
		if f := strings.Fields(line); len(f) == 3 && f[0] == "MemTotal:" {
			n, _ := strconv.ParseInt(f[1], 10, 64) // 0: not known
			memory = n >> 10
		}
	}
	if n, err := strconv.ParseInt(strings.TrimSpace(group), 10, 64); err == nil && n > 0 {
		if limit := n >> 20; memory == 0 || limit < memory {
			memory = limit
		}
	}
	return memory
}

func poolOf(memory int64) int64 {
	if memory == 0 {
		return unknownPool
	}
	return min(max(memory/4, leastPool), maxPool)
}

// LogOf is the size of the log that suits a buffer pool, in MiB: a quarter of it. A smaller
// one has the server write pages out sooner, a larger one takes longer to replay after a
// crash.
func LogOf(pool int64) int64 { return min(max(pool/4, leastLog), maxLog) }

// Size writes a size in MiB as the server reads it.
func Size(mib int64) string { return strconv.FormatInt(mib, 10) + "M" }
