package scrub

import "strings"

// secretWords are the words that make a name mean a secret wherever they
// stand in it, compared without case and separators.
var secretWords = strings.Fields("password passwd passphrase passcode secret apikey accesskey privatekey authorization credential cookie" +
	" sessiontoken accesstoken refreshtoken idtoken authtoken csrf xsrf bearer cardnumber creditcard cvv iban encryptionkey signingkey connectionstring")

// lastNames mean a secret only as a whole name or as its last word. In prose
// they are common: there their value must look like one.
var lastNames = map[string]bool{"token": true, "pwd": true, "auth": true, "pin": true, "otp": true, "jwt": true,
	"signature": true, "sig": true, "cvc": true, "pass": true, "sid": true, "ssn": true}

// letters are the places of letters in the alphabet, from 1; 0 is what is no
// letter, skipped what parts the words of a name.
var letters = func() (set [256]uint8) {
	for i := range set {
		set[i] = skipped
	}
	for i := range 26 {
		set['a'+i], set['A'+i] = uint8(i+1), uint8(i+1)
	}
	for i := range 10 {
		set['0'+i] = 0
	}
	return set
}()

const skipped = 31

// pairs holds which two letters can begin a secret word, at
// its third place, and at the end of one of the last words: most names hold
// none of these where it would count, which settles it.
var pairs = func() (set [32 * 32]uint8) {
	at := func(w string, i int) int { return int(w[i]-'a'+1)<<5 | int(w[i+1]-'a'+1) }
	for _, w := range secretWords {
		if len(w) == 3 {
			set[at(w, 0)] |= alone
			continue
		}
		set[at(w, 0)] |= begins
		set[at(w, 2)] |= goesOn
	}
	for w := range lastNames {
		set[at(w, len(w)-2)] |= ends
	}
	return set
}()

const (
	begins = 1 << iota
	goesOn
	alone // the word is too short for a second pair
	ends  // one of the last words
)

// mayMean is a quick look whether a name can mean a secret: no is sure.
func mayMean[T string | []byte](name T) bool {
	if n := len(name); pairs[int(letters[name[n-2]])<<5|int(letters[name[n-1]])]&ends != 0 {
		return true
	}
	var prev, b1, b2 uint8 // whether a word began one and two letters ago
	for i := range len(name) {
		c := letters[name[i]]
		if c == skipped {
			if name[i] >= 0x80 {
				return true
			}
			continue
		}
		f := pairs[int(prev)<<5|int(c)]
		if f&alone != 0 || f&goesOn != 0 && b2 != 0 {
			return true
		}
		prev, b1, b2 = c, f&begins, b1
	}
	return false
}

// Name says whether a name means a secret.
func Name[T string | []byte](name T) bool { return weigh(name) > 0 }

// weight is how surely a name means a secret.
type weight int

const (
	none   weight = iota
	weak          // by its last word alone
	strong        // by a word that means nothing else
)

const longestName = 200

func weigh[T string | []byte](name T) weight {
	if len(name) < 3 || len(name) > longestName || !mayMean(name) {
		return none
	}
	var flat [longestName]byte // the name without case and separators
	n, part := 0, 0            // part is where its last word begins
	lower, foreign := false, false
	for i := range len(name) {
		c := name[i]
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			flat[n], lower = c, true
			n++
		case c >= 'A' && c <= 'Z':
			if lower {
				part = n
			}
			flat[n], lower = c|0x20, false
			n++
		case c >= 0x80:
			foreign = true
		default:
			part, lower = n, false
		}
	}
	if foreign {
		return weigh(plainLetters(string(name)))
	}
	for i := 0; i+1 < n; i++ {
		if pairs[int(letters[flat[i]])<<5|int(letters[flat[i+1]])]&(begins|alone) == 0 {
			continue
		}
		for _, w := range secretWords {
			if n-i >= len(w) && string(flat[i:i+len(w)]) == w {
				return strong
			}
		}
	}
	if last := n - part; last >= 3 && last <= 9 && lastNames[string(flat[part:n])] {
		return weak
	}
	return none
}

// lookAlikes are letters that look like Latin ones.
var lookAlikes = func() map[rune]rune {
	m := map[rune]rune{'ı': 'i', 'ɡ': 'g', 'ո': 'n', 'ѕ': 's', 'і': 'i', 'ј': 'j', 'ԁ': 'd', 'ԛ': 'q', 'ԝ': 'w',
		'ᴏ': 'o', 'ⅼ': 'l', 'ⅰ': 'i', 'ⅽ': 'c', 'ⅾ': 'd', 'ſ': 's', 'K': 'k'}
	latin := []rune("aceopxykhmtbvnirsABEZHIKMNOPTYXCSJ")
	for i, r := range []rune("асеорхукһмтьѵпігѕАВЕΖНІКМΝОРТУХСЅЈ") {
		m[r] = latin[i]
	}
	greek := []rune("aokvtipyxABEZHIKMNOPTYX")
	for i, r := range []rune("αοκντιργχΑΒΕΖΗΙΚΜΝΟΡΤΥΧ") {
		m[r] = greek[i]
	}
	return m
}()

// plainLetters writes letters that look like Latin ones as those, and takes
// out what cannot be seen.
func plainLetters(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r < 0x80:
			return r
		case r >= 0xFF01 && r <= 0xFF5E: // full width
			return r - 0xFF01 + '!'
		case r >= 0x1D400 && r <= 0x1D6A3: // mathematical letters: 13 alphabets of 52
			if n := (r - 0x1D400) % 52; n < 26 {
				return 'A' + n
			} else {
				return 'a' + n - 26
			}
		case r >= 0x200B && r <= 0x200F, r == 0xAD, r == 0x2060, r == 0xFEFF, r >= 0x300 && r <= 0x36F:
			return -1
		}
		if l, ok := lookAlikes[r]; ok {
			return l
		}
		return '-' // of no use in a name; and not over the length
	}, s)
}
