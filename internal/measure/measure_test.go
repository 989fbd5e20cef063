package measure

import "testing"

func TestOf(t *testing.T) {
	same := Of([]Labelled{{"a", "1"}, {"a", "1"}, {"b", "2"}, {"b", "2"}, {"c", "3"}})
	if same.Index != 1 || len(same.Merged) != 0 || len(same.Pieces) != 0 || same.Pairs != 0 || same.Bugs != 3 || same.Issues != 3 {
		t.Errorf("%+v", same)
	}
	mixed := Of([]Labelled{{"a", "1"}, {"a", "2"}, {"b", "2"}, {"b", "2"}})
	if mixed.Index >= 1 || mixed.Pairs != 2 || len(mixed.Merged["2"]) != 2 || len(mixed.Pieces["a"]) != 2 {
		t.Errorf("%+v", mixed)
	}
}
