// Command decode decodes one source map, as corpus/decode.mjs does with other
// libraries: decode FILE time|memory. It prints milliseconds (median of 15 in
// a warm process, one thread, from bytes to the first answer) or by how many
// bytes the process grew at its peak (one decoding).
package main

import (
	"fmt"
	"log"
	"os"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"time"

	"firethorn/internal/core/sourcemap"
)

func main() {
	log.SetFlags(0)
	if len(os.Args) != 3 {
		log.Fatal("decode FILE time|memory")
	}
	raw, err := os.ReadFile(os.Args[1])
	if err != nil {
		log.Fatal(err)
	}
	runtime.GOMAXPROCS(1)
	if os.Args[2] == "memory" {
		before := peak()
		decode(raw)
		fmt.Println(peak() - before)
		return
	}
	var took []time.Duration
	for i := range 18 {
		from := time.Now()
		decode(raw)
		if i >= 3 {
			took = append(took, time.Since(from))
		}
	}
	slices.Sort(took)
	fmt.Println(float64(took[7].Microseconds()) / 1000)
}

func decode(raw []byte) {
	m, err := sourcemap.Parse(raw)
	if err != nil {
		log.Fatal(err)
	}
	m.Find(sourcemap.Pos{Line: 0, Col: 5})
}

var highest = regexp.MustCompile(`VmHWM:\s+(\d+)`)

// peak is the most memory in bytes that the process had resident.
func peak() int {
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		log.Fatal(err)
	}
	kib, err := strconv.Atoi(string(highest.FindSubmatch(status)[1]))
	if err != nil {
		log.Fatal(err)
	}
	return kib * 1024
}
