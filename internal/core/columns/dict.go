package columns

import (
	"iter"
	"math"
)

// Dict is values by number, held together: what it takes beside the texts is a few
// bytes a value. The zero value is empty.
type Dict struct {
	text    string
	ends    []uint32
	numbers []float64 // NaN for a text; nil: all are texts
}

// DictOf holds values.
func DictOf(values []Value) Dict {
	size, numbers := 0, false
	for _, v := range values {
		size += len(v.Text)
		numbers = numbers || v.IsNumber
	}
	d := Dict{ends: make([]uint32, len(values))}
	if numbers {
		d.numbers = make([]float64, len(values))
	}
	text := make([]byte, 0, size)
	for i, v := range values {
		text = append(text, v.Text...)
		d.ends[i] = uint32(len(text))
		if numbers {
			d.numbers[i] = math.NaN()
		}
		if v.IsNumber {
			d.numbers[i] = v.Number
		}
	}
	d.text = string(text)
	return d
}

// Len is how many values there are.
func (d Dict) Len() int { return len(d.ends) }

// At is a value, by its number from 0.
func (d Dict) At(i int) Value {
	if d.numbers != nil && !math.IsNaN(d.numbers[i]) {
		return NumberValue(d.numbers[i])
	}
	from := uint32(0)
	if i > 0 {
		from = d.ends[i-1]
	}
	return TextValue(d.text[from:d.ends[i]])
}

// All are the values, in the order of their numbers.
func (d Dict) All() iter.Seq2[int, Value] {
	return func(yield func(int, Value) bool) {
		for i := range d.Len() {
			if !yield(i, d.At(i)) {
				return
			}
		}
	}
}

// list gives the values as they were put in.
func (d Dict) list() []Value {
	out := make([]Value, d.Len())
	for i, v := range d.All() {
		out[i] = v
	}
	return out
}

// Bytes is about how much memory the values take.
func (d Dict) Bytes() int { return len(d.text) + 4*len(d.ends) + 8*len(d.numbers) }
