package audit

import (
	"testing"
	"time"
)

// chained are three entries, sealed.
func chained() []Entry {
	at := time.Date(2026, 11, 30, 9, 0, 0, 123_000, time.UTC)
	list := []Entry{
		{ID: 8, At: at, Kind: "person", Who: 3, Name: "Maren Holt", Address: "10.0.0.7", Action: "key revoked", Project: "quayside", Target: "in-1", Before: `{"good":true}`},
		{ID: 9, At: at.Add(time.Second), Kind: "service", Action: "project created", Project: "bosun", Target: "bosun", After: `{}`},
		{ID: 10, At: at.Add(time.Minute), Kind: "nobody", Address: "10.0.0.9", Action: "sign-in failed", Target: "sign-in link"},
	}
	before := base
	for i := range list {
		list[i].Hash = Seal(before, &list[i])
		before = list[i].Hash
	}
	return list
}

var base = Hash{1, 2, 3}

func verify(list []Entry, last int64, hash Hash) *Break {
	c := NewChain(7, base)
	for i := range list {
		c.Add(&list[i])
	}
	return c.End(last, hash)
}

func TestChain_Holds(t *testing.T) {
	list := chained()
	if b := verify(list, 10, list[2].Hash); b != nil {
		t.Errorf("%+v", b)
	}
	if b := NewChain(7, base).End(7, base); b != nil {
		t.Errorf("an empty chain: %+v", b)
	}
}

// Whatever is changed is found, at the entry where it was.
func TestChain_FindsWhatWasChanged(t *testing.T) {
	for what, c := range map[string]struct {
		change func([]Entry) []Entry
		id     int64
	}{
		"a name":              {func(l []Entry) []Entry { l[0].Name = "Oke Farrow"; return l }, 8},
		"an address":          {func(l []Entry) []Entry { l[2].Address = ""; return l }, 10},
		"a microsecond":       {func(l []Entry) []Entry { l[1].At = l[1].At.Add(time.Microsecond); return l }, 9},
		"text from one field": {func(l []Entry) []Entry { l[1].Project, l[1].Target = "bosunb", "osun"; return l }, 9},
		"who":                 {func(l []Entry) []Entry { l[0].Who = 4; return l }, 8},
		"what was before":     {func(l []Entry) []Entry { l[0].Before = ""; return l }, 8},
		"one in the middle":   {func(l []Entry) []Entry { return append(l[:1], l[2]) }, 9},
		"the last":            {func(l []Entry) []Entry { return l[:2] }, 10},
		"the first":           {func(l []Entry) []Entry { return l[1:] }, 8},
		"the order":           {func(l []Entry) []Entry { l[0], l[1] = l[1], l[0]; return l }, 8},
		"one that was sealed anew alone": {func(l []Entry) []Entry {
			l[1].Target = "tender"
			l[1].Hash = Seal(l[0].Hash, &l[1])
			return l
		}, 10},
	} {
		list := chained()
		end := list[2].Hash
		if b := verify(c.change(list), 10, end); b == nil || b.ID != c.id {
			t.Errorf("%s: %+v, want a break at %d", what, b, c.id)
		}
	}
	list := chained() // the whole end written again: only the noted hash tells
	list[2].Target = "token"
	noted := chained()[2].Hash
	list[2].Hash = Seal(list[1].Hash, &list[2])
	if b := verify(list, 10, noted); b == nil || b.ID != 10 {
		t.Errorf("%+v", b)
	}
}
