// Package text has text helpers of the core: globs, numbers in sentences, handles of people, the ends
// of JSON strings.
package text

import "strconv"

// Number writes a number with a comma before each three digits: 1,204.
func Number(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Counted writes how many there are of something: "1 user", "1,204 users".
func Counted(n int64, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return Number(n) + " " + what + "s"
}
