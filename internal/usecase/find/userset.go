package find

import "math/bits"

// pageUsers is how many users a page of a userSet has room for.
const pageUsers = 1 << 14

// userSet is a set of users, by their numbers: a bit for each, in pages that are made
// as they are needed. The zero value is empty.
type userSet struct{ pages []*[pageUsers / 64]uint64 }

// add puts a user in; 0 is none.
func (s *userSet) add(user uint32) {
	if user == 0 {
		return
	}
	p := int(user / pageUsers)
	for p >= len(s.pages) {
		s.pages = append(s.pages, nil)
	}
	if s.pages[p] == nil {
		s.pages[p] = new([pageUsers / 64]uint64)
	}
	at := user % pageUsers
	s.pages[p][at/64] |= 1 << (at % 64)
}

// join puts the users of another set in.
func (s *userSet) join(o userSet) {
	for p, page := range o.pages {
		for p >= len(s.pages) {
			s.pages = append(s.pages, nil)
		}
		switch {
		case page == nil:
		case s.pages[p] == nil:
			s.pages[p] = page
		default:
			for i, w := range page {
				s.pages[p][i] |= w
			}
		}
	}
}

// count is how many users are in.
func (s *userSet) count() (n int64) {
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
