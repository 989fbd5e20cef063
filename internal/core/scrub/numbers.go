package scrub

// card says whether text begins with a payment card number: 14 to 19 digits,
// alone or in groups parted by one blank or dash, whose first digits are an
// issuer's and whose last is the check digit (ISO/IEC 7812-1, annex B). end is
// where it ends.
func card(text []byte) (end int, ok bool) {
	var num [20]byte
	n := 0
	for i := 0; i < len(text) && n < len(num); i++ {
		c := text[i]
		if digit(c) {
			num[n] = c - '0'
			n++
			end = i + 1
			continue
		}
		if (c != ' ' && c != '-') || i == 0 || !digit(text[i-1]) || i+1 >= len(text) || !digit(text[i+1]) {
			break
		}
	}
	if n < 14 || n > 19 || !issuer(num[:n]) {
		return 0, false
	}
	sum, same := 0, true
	for i := range n {
		d := int(num[n-1-i])
		same = same && num[i] == num[0]
		if i%2 == 1 {
			if d *= 2; d > 9 {
				d -= 9
			}
		}
		sum += d
	}
	return end, sum%10 == 0 && !same
}

// issuer says whether a number begins and is as long as issuers' cards are.
func issuer(num []byte) bool {
	n := len(num)
	two := int(num[0])*10 + int(num[1])
	four := two*100 + int(num[2])*10 + int(num[3])
	switch {
	case num[0] == 4:
		return n == 16 || n == 19
	case two >= 51 && two <= 55, four >= 2221 && four <= 2720:
		return n == 16
	case two == 34, two == 37:
		return n == 15
	case two == 36, two == 38, two == 39, four >= 3000 && four <= 3059:
		return n == 14 || n == 16
	case two == 35, two == 60, two == 62, two == 64, two == 65:
		return n >= 16
	case two == 50, two >= 56 && two <= 58, two == 63, two == 67:
		return n >= 16
	}
	return false
}

// cardWord looks at a word of digits and dashes.
func (s *textScan) cardWord(t []byte, i, j int) (next int) {
	for i < j && !digit(t[i]) {
		i++
	}
	s.steps += min(j-i, 40)
	end, ok := card(t[i:j])
	if ok && i+end == j && s.take(Card, t, i, j) {
		return j
	}
	return 0
}

// spacedCard looks at digits in groups with blanks between them.
func (s *textScan) spacedCard(t []byte, i int) (next int) {
	s.steps += min(len(t)-i, 40)
	end, ok := card(t[i:])
	if ok && (i+end >= len(t) || !word(t[i+end])) && s.take(Card, t, i, i+end) {
		return i + end
	}
	return 0
}

// iban says whether a word is an account number whose check digits hold (ISO
// 13616-1, ISO/IEC 7064 MOD 97-10).
func iban(w []byte) bool {
	if len(w) < 15 || len(w) > 34 || class[w[0]] != isUpper || class[w[1]] != isUpper || !digit(w[2]) || !digit(w[3]) {
		return false
	}
	rest := 0
	for i := range w {
		c := w[(i+4)%len(w)]
		if digit(c) {
			rest = (rest*10 + int(c-'0')) % 97
		} else {
			rest = (rest*100 + int(c-'A') + 10) % 97
		}
	}
	return rest == 1
}

// spacedIBAN looks at an account number in groups of four.
func (s *textScan) spacedIBAN(t []byte, i int) (next int) {
	var w [34]byte
	n, end, bad := 0, i, false
	for k := i; k < len(t) && n < len(w); k++ {
		s.steps++
		c := t[k]
		if c == ' ' && n%4 == 0 {
			continue
		}
		if bad = class[c]&(isDigit|isUpper) == 0; bad {
			break
		}
		w[n] = c
		n++
		end = k + 1
		// The groups end where the check digits hold and no more follow.
		s.steps += n
		if n >= 15 && iban(w[:n]) && (end >= len(t) || !word(t[end])) &&
			(end+1 >= len(t) || t[end] != ' ' || class[t[end+1]]&(isDigit|isUpper) == 0) {
			if s.take(IBAN, t, i, end) {
				return end
			}
			return 0
		}
	}
	return 0
}
