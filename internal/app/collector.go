package app

import (
	"os"
	"runtime/debug"

	"firethorn/internal/localdb"
)

// How the garbage collector works, unless GOGC or GOMEMLIMIT say otherwise. The heap may grow to
// three times what is in use before it is collected, which saves up to a tenth of the
// service's processor time at full load. Beyond half of the machine's memory it is collected more
// often: the other half belongs to the database and its file cache.
const (
	heapGrowth  = 200 // percent
	memoryShare = 2   // one part in so many
)

// tuneCollector sets the garbage collector of this process.
func tuneCollector() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(heapGrowth)
	}
	if memory := localdb.Memory(); memory > 0 && os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memory << 20 / memoryShare)
	}
}
