package release

import (
	"slices"
	"testing"
)

func TestNear(t *testing.T) {
	var known []Release
	for i, v := range []string{"4.0.3", "4.1.0", "v4.2.0", "4.2.1", "nightly", "5.0.0", "crane@4.2.2"} {
		known = append(known, Release{Version: v, FirstSeen: monday.AddDate(0, 0, i)})
	}
	for version, want := range map[string][]string{
		"4.2.3":      {"crane@4.2.2", "4.2.1", "v4.2.0"},
		"desk@4.2.3": {"4.2.1", "v4.2.0", "4.1.0"},
		"4.12.0":     {"crane@4.2.2", "v4.2.0", "4.2.1"},
		"nightyl":    {"crane@4.2.2", "5.0.0", "nightly"},
	} {
		near, heard := Near(Release{Version: version}, known, 3)
		slices.Sort(near)
		slices.Sort(want)
		if heard || !slices.Equal(near, want) {
			t.Errorf("%s: %v, %v, want %v", version, near, heard, want)
		}
	}
	if near, heard := Near(Release{Version: "4.2.0"}, known, 3); !heard || near != nil {
		t.Errorf("another spelling: %v, %v", near, heard)
	}
	if near, heard := Near(Release{Version: "1.0"}, nil, 3); heard || near != nil {
		t.Errorf("of none: %v, %v", near, heard)
	}
}
