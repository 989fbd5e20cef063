package columns_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"firethorn/internal/core/columns"
)

var codec = columns.NewCodec()

// rows makes random rows, some of them with odd values.
func rows(r *rand.Rand, n int, from int64) []columns.Row {
	out := make([]columns.Row, n)
	values := []columns.Value{columns.TextValue(""), columns.TextValue("gold"), columns.TextValue("שלום"), columns.NumberValue(-1.5),
		columns.NumberValue(12), columns.TextValue("12")}
	for i := range out {
		out[i] = columns.Row{Position: from + int64(i), Time: 1_700_000_000_000_000 + int64(r.IntN(1e9)), Variant: uint32(r.IntN(50)),
			User: uint32(r.IntN(40)), Weight: uint32(1 + r.IntN(3)), Unknown: r.IntN(9) == 0}
		for column := uint32(1000); column < 1006; column++ {
			if r.IntN(2) == 0 {
				out[i].Cells = append(out[i].Cells, columns.Cell{Column: column, Value: values[r.IntN(len(values))]})
			}
		}
		if r.IntN(2) == 0 { // one that nearly every row has another value of
			out[i].Cells = append(out[i].Cells, columns.Cell{Column: 1010, Value: columns.TextValue(fmt.Sprint(from, i))})
		}
	}
	return out
}

func all(s *columns.Segment) []columns.Row {
	out := make([]columns.Row, s.Rows())
	for i := range out {
		out[i] = s.Row(i)
	}
	return out
}

// What is written reads as it was put in, as one part and as a part for each column.
func TestCodec_ReadsWhatItWrote(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for _, n := range []int{1, 63, 64, 65, 700, 3000} {
		s := columns.Build(rows(r, n, 10))
		want := all(s)
		whole, err := codec.ReadWhole(codec.Whole(s))
		if err != nil || !reflect.DeepEqual(all(whole), want) {
			t.Fatalf("%d rows as one part: %v", n, err)
		}
		_, body := codec.CoreParts(&s.Core)
		core, err := codec.ReadCore(body)
		if err != nil {
			t.Fatal(err)
		}
		parts := &columns.Segment{Core: *core, Columns: map[uint32]*columns.Column{}}
		for id, c := range s.Columns {
			head, body := codec.ColumnParts(&s.Core, c)
			h, err := codec.ReadHead(head)
			if err != nil {
				t.Fatal(err)
			}
			if parts.Columns[id], err = codec.ReadColumn(h, body, n); err != nil {
				t.Fatal(err)
			}
			for _, v := range c.Values.All() {
				if !h.May(v) {
					t.Errorf("the head of column %d does not know %v", id, v)
				}
			}
		}
		if !reflect.DeepEqual(all(parts), want) {
			t.Fatalf("%d rows as parts", n)
		}
	}
}

func TestCodec_FindsEveryDamage(t *testing.T) {
	whole := codec.Whole(columns.Build(rows(rand.New(rand.NewPCG(2, 2)), 100, 1)))
	for i := range whole {
		broken := slices.Clone(whole)
		broken[i] ^= 0x40
		if _, err := codec.ReadWhole(broken); !errors.Is(err, columns.ErrDamaged) {
			t.Fatalf("a bit of byte %d of %d is wrong, and nothing is said: %v", i, len(whole), err)
		}
	}
	for n := range whole {
		if _, err := codec.ReadWhole(whole[:n]); !errors.Is(err, columns.ErrDamaged) {
			t.Fatalf("cut after %d bytes, and nothing is said: %v", n, err)
		}
	}
}

// A head without values still says what is certainly not there.
func TestHead_FilterSaysNo(t *testing.T) {
	s := columns.Build(rows(rand.New(rand.NewPCG(3, 3)), 3000, 1))
	head, _ := codec.ColumnParts(&s.Core, s.Columns[1010])
	h, err := codec.ReadHead(head)
	if err != nil || h.Values != nil || h.Distinct != s.Columns[1010].Values.Len() {
		t.Fatalf("%+v, %v", h, err)
	}
	wrong := 0
	for i := range 10_000 {
		if h.May(columns.TextValue(fmt.Sprint("nobody", i))) {
			wrong++
		}
	}
	if wrong > 100 {
		t.Errorf("of 10,000 values that are not there it takes %d for possible; about 40 are to be expected", wrong)
	}
}

// Merging equals building again of all rows, with what became of them since.
func TestMerge_EqualsBuildingAnew(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 30 {
		var list []*columns.Segment
		var every []columns.Row
		position := int64(1)
		for range 1 + r.IntN(5) {
			some := rows(r, 1+r.IntN(80), position)
			position += int64(len(some))
			every = append(every, some...)
			list = append(list, columns.Build(slices.Clone(some)))
		}
		patches := map[int64]columns.Patch{}
		for range r.IntN(10) {
			variant, user := uint32(7), uint32(8)
			patches[1+r.Int64N(position)] = []columns.Patch{{Gone: true}, {Blank: true}, {Variant: &variant}, {User: &user},
				{Cells: []columns.Cell{{Column: 1001, Value: columns.TextValue("later")}, {Column: 1020, Value: columns.NumberValue(1)}}}}[r.IntN(5)]
		}
		var want []columns.Row
		for _, x := range every {
			if p, ok := patches[x.Position]; !ok || p.Apply(&x) {
				want = append(want, x)
			}
		}
		got := all(columns.Merge(list, patches, nil))
		expected := all(columns.Build(want))
		if len(got) != len(expected) || len(got) > 0 && !reflect.DeepEqual(got, expected) {
			t.Fatalf("%d rows merged of %d segments with %d patches; built anew there are %d", len(got), len(list), len(patches), len(expected))
		}
		whole := columns.Merge(list, nil, nil)
		core, gone := whole.Patched(patches)
		for i, x := range all(whole) {
			p := patches[x.Position]
			if there := p.Apply(&x); there == gone.Has(i) {
				t.Fatalf("position %d: gone is %v", x.Position, gone.Has(i))
			} else if there && (core.Variants[i] != x.Variant || core.Users[i] != x.User) {
				t.Fatalf("position %d: variant %d and user %d", x.Position, core.Variants[i], core.Users[i])
			}
		}
	}
}

func TestColumn_SelectAndCounts(t *testing.T) {
	s := columns.Build(rows(rand.New(rand.NewPCG(5, 5)), 1000, 1))
	for id, c := range s.Columns {
		want := map[columns.Value]int64{}
		gold := 0
		for i := range s.Rows() {
			for _, cell := range s.Row(i).Cells {
				if cell.Column == id {
					want[cell.Value] += s.Weight(i)
					if cell.Value.Text == "gold" {
						gold++
					}
				}
			}
		}
		counts := c.Counts(&s.Core, columns.AllBits(s.Rows()))
		for i, v := range c.Values.All() {
			if counts[i+1] != want[v] {
				t.Errorf("column %d, %v: %d, want %d", id, v, counts[i+1], want[v])
			}
		}
		if got := c.Select(func(v columns.Value) bool { return v.Text == "gold" }).Count(); got != gold {
			t.Errorf("column %d: %d rows are gold, want %d", id, got, gold)
		}
	}
}

func TestUserSet(t *testing.T) {
	var a, b columns.UserSet
	for _, u := range []uint32{0, 1, 63, 64, 16_383, 16_384, 1_000_000, 1} {
		a.Add(u)
	}
	b.Add(64)
	b.Add(70_000)
	if a.Count() != 6 {
		t.Errorf("%d users, want 6: 0 is none, and 1 is one", a.Count())
	}
	if a.Join(b); a.Count() != 7 || b.Count() != 2 {
		t.Errorf("joined %d and %d, want 7 and 2", a.Count(), b.Count())
	}
}

// No bytes make a reader fail otherwise than by saying that they are damaged.
func FuzzReadWhole(f *testing.F) {
	f.Add(codec.Whole(columns.Build(rows(rand.New(rand.NewPCG(6, 6)), 20, 1))))
	f.Fuzz(func(t *testing.T, raw []byte) {
		if _, err := codec.ReadWhole(raw); err != nil && !errors.Is(err, columns.ErrDamaged) {
			t.Error(err)
		}
	})
}

// What an event of 40 attributes costs in the batch, and in the merges that follow: of
// 64 batches, of 16 such segments, each read and written.
func BenchmarkSegments(b *testing.B) {
	r := rand.New(rand.NewPCG(3, 3))
	with := func(n int, from int64) []columns.Row {
		list := rows(r, n, from)
		for i := range list {
			for column := uint32(1020); column < 1053; column++ {
				list[i].Cells = append(list[i].Cells, columns.Cell{Column: column, Value: columns.TextValue(fmt.Sprint("v", r.IntN(1+r.IntN(40))))})
			}
		}
		return list
	}
	batch := with(64, 1)
	b.Run("batch", func(b *testing.B) {
		for b.Loop() {
			codec.Whole(columns.Build(batch))
		}
		b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/64, "ns/event")
	})
	for _, x := range []struct{ segments, rows int }{{64, 64}, {16, 4096}} {
		var parts [][]byte
		for i := range x.segments {
			parts = append(parts, codec.Whole(columns.Build(with(x.rows, int64(i*x.rows+1)))))
		}
		b.Run(fmt.Sprintf("merge of %d", x.segments), func(b *testing.B) {
			for b.Loop() {
				var list []*columns.Segment
				for _, p := range parts {
					s, err := codec.ReadWhole(p)
					if err != nil {
						b.Fatal(err)
					}
					list = append(list, s)
				}
				s := columns.Merge(list, nil, nil)
				if x.segments == 64 {
					codec.Whole(s)
					continue
				}
				codec.CoreParts(&s.Core)
				for _, c := range s.Columns {
					codec.ColumnParts(&s.Core, c)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(x.segments*x.rows), "ns/event")
		})
	}
}
