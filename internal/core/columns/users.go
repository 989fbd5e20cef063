package columns

import "math/bits"

// pageUsers is how many users a page of a UserSet has room for.
const pageUsers = 1 << 14

// UserSet is a set of users, by their numbers: a bit for each, in pages that are made
// as they are needed. The zero value is empty.
type UserSet struct{ pages []*[pageUsers / 64]uint64 }

// Add puts a user in; 0 is none.
func (s *UserSet) Add(user uint32) {
	if user == 0 {
		return
	}
	p := int(user / pageUsers)
	if p >= len(s.pages) || s.pages[p] == nil {
		s.grow(p)
	}
	s.pages[p][user%pageUsers/64] |= 1 << (user % 64)
}

func (s *UserSet) grow(p int) {
	for p >= len(s.pages) {
		s.pages = append(s.pages, nil)
	}
	s.pages[p] = new([pageUsers / 64]uint64)
}

// Join puts the users of another set in, which stays as it is.
func (s *UserSet) Join(o UserSet) {
	for p, page := range o.pages {
		if page == nil {
			continue
		}
		if p >= len(s.pages) || s.pages[p] == nil {
			s.grow(p)
		}
		for i, w := range page {
			s.pages[p][i] |= w
		}
	}
}

// Count is how many users are in.
func (s *UserSet) Count() (n int64) {
	for _, page := range s.pages {
		if page == nil {
			continue
		}
		for _, w := range page {
			n += int64(bits.OnesCount64(w))
		}
	}
	return n
}

// Bytes is about how much memory the set takes.
func (s *UserSet) Bytes() (n int) {
	for _, page := range s.pages {
		if page != nil {
			n += pageUsers / 8
		}
	}
	return n + 8*len(s.pages)
}

// AddUsers puts the users of selected rows into a set.
func (c *Core) AddUsers(selected Bits, to *UserSet) {
	selected.Each(func(row int) { to.Add(c.Users[row]) })
}

// AddUsers puts the users of selected rows into the sets of their values: that of code
// n into sets[slots[n]]; slot 0 is none.
func (c *Column) AddUsers(core *Core, selected Bits, slots []int, sets []UserSet) {
	if c.narrow != nil {
		addUsers(c.narrow, core.Users, selected, slots, sets)
	} else {
		addUsers(c.wide, core.Users, selected, slots, sets)
	}
}

func addUsers[C uint8 | uint16](codes []C, users []uint32, selected Bits, slots []int, sets []UserSet) {
	for i, w := range selected {
		from := i << 6
		if w == ^uint64(0) { // all of them, as mostly
			for row := from; row < from+64; row++ {
				if slot := slots[codes[row]]; slot != 0 {
					sets[slot].Add(users[row])
				}
			}
			continue
		}
		for ; w != 0; w &= w - 1 {
			row := from + bits.TrailingZeros64(w)
			if slot := slots[codes[row]]; slot != 0 {
				sets[slot].Add(users[row])
			}
		}
	}
}
