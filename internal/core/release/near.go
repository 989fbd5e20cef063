package release

import (
	"cmp"
	"slices"
)

// Near finds, among releases that are known, the ones that a version which
// was not may have been meant for: those nearest to it in the order of versions,
// else those heard of last; at most so many, the nearest first. heard says that
// it is known, perhaps in another spelling.
func Near(r Release, known []Release, most int) (near []string, heard bool) {
	v := Parse(r.Version)
	type candidate struct {
		Release
		distance []uint64
	}
	var list []candidate
	for _, k := range known {
		if Compare(r, k, Auto, nil).By == BySame {
			return nil, true
		}
		c := candidate{Release: k}
		if w := Parse(k.Version); Comparable(v, w) {
			for i := range max(len(v.Numbers), len(w.Numbers)) {
				a, b := at(v.Numbers, i), at(w.Numbers, i)
				c.distance = append(c.distance, max(a, b)-min(a, b))
			}
		}
		list = append(list, c)
	}
	slices.SortStableFunc(list, func(a, b candidate) int {
		return cmp.Or(-cmp.Compare(min(len(a.distance), 1), min(len(b.distance), 1)),
			slices.Compare(a.distance, b.distance), b.FirstSeen.Compare(a.FirstSeen))
	})
	for _, c := range list[:min(most, len(list))] {
		near = append(near, c.Version)
	}
	return near, false
}
