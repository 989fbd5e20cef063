package localdb

import "testing"

func TestPoolOf(t *testing.T) {
	const machine = "MemTotal:       16384000 kB\nMemFree:         1000000 kB\n"
	for _, c := range []struct {
		name, machine, group string
		pool, log            int64
	}{
		{"a machine of 16 GB", machine, "max\n", 4000, 1000},
		{"a container of 4 GiB on it", machine, "4294967296\n", 1024, 256},
		{"a container that may more than there is", machine, "99999999999999\n", 4000, 1000},
		{"a small machine", "MemTotal: 400000 kB\n", "", 128, 96},
		{"a large machine", "MemTotal: 1000000000 kB\n", "", 32 << 10, 2 << 10},
		{"a container alone", "", "2147483648", 512, 128},
		{"nothing is known", "", "", 512, 128},
		{"what cannot be read", "MemTotal: much kB\n", "all", 512, 128},
	} {
		if pool := poolOf(memoryOf(c.machine, c.group)); pool != c.pool || LogOf(pool) != c.log {
			t.Errorf("%s: %d MiB and a log of %d, not %d and %d", c.name, pool, LogOf(pool), c.pool, c.log)
		}
	}
	if pool := DefaultPool(); pool < leastPool || pool > maxPool {
		t.Errorf("this machine: %d MiB", pool)
	}
	if Size(96) != "96M" {
		t.Error(Size(96))
	}
}
