package shape

import (
	"bufio"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os"
	"regexp"
	"strings"
	"testing"
)

// made gives what represents a placeholder of testdata/messages.txt.
func made(rng *rand.Rand, kind string) string {
	digits := func(n int) string { return fmt.Sprintf("%0*d", n, rng.Int64N(pow10(n))) }
	from := func(alphabet string, n int) string {
		out := make([]byte, n)
		for i := range out {
			out[i] = alphabet[rng.IntN(len(alphabet))]
		}
		return string(out)
	}
	pick := func(list ...string) string { return list[rng.IntN(len(list))] }
	hex := func(n int) string {
		for {
			if s := from("0123456789abcdef", n); strings.ContainsAny(s, "0123456789") && strings.ContainsAny(s, "abcdef") {
				return s
			}
		}
	}
	const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
	word := func() string { return pick("eider", "tern", "mallow", "skua", "plover", "dunlin", "whimbrel") }
	switch kind {
	case "int":
		return fmt.Sprint(rng.IntN(90000) + 1)
	case "float":
		return fmt.Sprintf("%d.%d", rng.IntN(500), rng.IntN(9000)+1000)
	case "ip4":
		return fmt.Sprintf("10.%d.%d.%d", rng.IntN(255), rng.IntN(255), rng.IntN(255))
	case "ip6":
		return fmt.Sprintf("2001:db8:%x:%x::%x", rng.IntN(65535)+1, rng.IntN(65535)+1, rng.IntN(65535)+1)
	case "mac":
		return fmt.Sprintf("%s:%s:%s:%s:%s:%s", hex(2), hex(2), hex(2), hex(2), hex(2), hex(2))
	case "port":
		return fmt.Sprint(rng.IntN(55000) + 1025)
	case "host":
		return pick("api", "db-1", "cache.eu-2", "m"+digits(2)) + "." + pick("harbour.example", "ferries.example.com", "pier.internal")
	case "uuid":
		return fmt.Sprintf("%s-%s-4%s-a%s-%s", hex(8), hex(4), from("0123456789abcdef", 3), from("0123456789abcdef", 3), hex(12))
	case "ulid":
		return "01" + from("0123456789ABCDEFGHJKMNPQRSTVWXYZ", 24)
	case "oid", "hex":
		return hex(pickInt(rng, 7, 12, 24, 40))
	case "nano":
		for {
			if s := from(letters, 21); rating(s) {
				return s
			}
		}
	case "b64":
		return base64.StdEncoding.EncodeToString([]byte(from(letters, 32)))
	case "jwt":
		return "eyJ" + from(letters, 30) + "." + from(letters, 40) + "." + from(letters, 43)
	case "code":
		return from("23456789", 1) + from("ABCDEFGHJKLM", 2) + from("23456789", 2) + from("ABCDEFGHJKLM", 2)
	case "hyphen":
		return pick("MS-"+digits(4)+"-"+digits(1), word()+"-"+digits(3), digits(3)+"-"+word()+"-"+digits(2))
	case "slug":
		return word() + "-" + digits(3)
	case "pod":
		return word() + "-" + hex(9) + "-" + from("bcdfghjklmnpqrstvwxz2456789", 4) + "5"
	case "email":
		return word() + "." + digits(2) + "@" + pick("ferries.example", "mail.example.com")
	case "url":
		return "https://" + word() + ".example/v1/ferries/" + digits(4) + "?day=" + digits(2)
	case "apipath":
		return "/v2/berths/" + fmt.Sprintf("%s-%s-4%s-a%s-%s", hex(8), hex(4), hex(3), hex(3), hex(12)) + "/lock"
	case "file":
		return pick("/home/"+word()+"/run-"+digits(3)+"/", "/tmp/x"+hex(6)+"/", "/var/lib/"+word()+"/") + "tides.json"
	case "qpath":
		return "'/srv/" + word() + "/b-" + digits(2) + "/node_modules/x/" + word() + ".js'"
	case "q":
		return `"` + pick(word()+" "+digits(2), digits(5), word()+"é", hex(8), word()+"/"+word()) + `"`
	case "isodate":
		return fmt.Sprintf("2026-%02d-%02dT%02d:%02d:%02d.%03dZ", rng.IntN(12)+1, rng.IntN(28)+1, rng.IntN(24), rng.IntN(60), rng.IntN(60), rng.IntN(1000))
	case "usdate":
		return fmt.Sprintf("%02d/%02d/2026", rng.IntN(12)+1, rng.IntN(28)+1)
	case "dedate":
		return fmt.Sprintf("%d.%d.2026", rng.IntN(28)+1, rng.IntN(12)+1)
	case "worddate":
		return fmt.Sprintf("%s %d, 2026", pick("Jan", "February", "Mar", "May", "Sept", "November"), rng.IntN(28)+1)
	case "clock":
		return fmt.Sprintf("%02d:%02d", rng.IntN(24), rng.IntN(60))
	case "dur":
		return pick(fmt.Sprintf("%dms", rng.IntN(900)+1), fmt.Sprintf("%.1fs", rng.Float64()*50), fmt.Sprintf("%dm%ds", rng.IntN(50)+1, rng.IntN(60)))
	case "size":
		return pick(fmt.Sprintf("%dMB", rng.IntN(900)+1), fmt.Sprintf("%.1fGiB", rng.Float64()*50+1), fmt.Sprintf("%dkB", rng.IntN(900)+1))
	case "pct":
		return fmt.Sprintf("%.1f%%", rng.Float64()*100)
	case "money":
		return pick("€", "$") + fmt.Sprintf("%d.%02d", rng.IntN(900), rng.IntN(100))
	case "ver":
		return fmt.Sprintf("%d.%d.%d", rng.IntN(9), rng.IntN(30), rng.IntN(50))
	case "addr":
		return "0x" + hex(12)
	case "json":
		return fmt.Sprintf(`{"id": %d, "name": "%s"}`, rng.IntN(9999), word())
	case "list":
		return fmt.Sprintf("[%d, %d, %d]", rng.IntN(99), rng.IntN(99), rng.IntN(99))
	}
	panic("no placeholder is called " + kind)
}

func pow10(n int) int64 {
	out := int64(1)
	for range n {
		out *= 10
	}
	return out
}

func pickInt(rng *rand.Rand, list ...int) int { return list[rng.IntN(len(list))] }

// rating keeps to ids in which digits and letters of both cases stand mixed, as
// nearly all are.
func rating(s string) bool {
	return strings.ContainsAny(s, "0123456789") && strings.ToUpper(s) != s && strings.ToLower(s) != s
}

// glued is a word with a placeholder in it, or one that need not stay.
var glued = regexp.MustCompile(`\S*\{[a-z0-9]+\}\S*|~\S+`)

var placeholder = regexp.MustCompile(`\{([a-z0-9]+)\}`)

// Every message of the list, filled in at random many times, has one shape, and
// every word of it that is no placeholder stays. Half of the list was looked at.
func TestOf_TakesOutWhatDiffers(t *testing.T) {
	f, err := os.Open("testdata/messages.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rng := rand.New(rand.NewPCG(7, 11))
	right, all := map[string]int{}, map[string]int{}
	for s := bufio.NewScanner(f); s.Scan(); {
		line := s.Text()
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		half := "seen"
		if sha256.Sum256([]byte(line))[0] >= 128 {
			half = "unseen"
		}
		all[half]++
		shapes, example, ok := map[string]int{}, map[string]string{}, false
		for range 30 {
			message := placeholder.ReplaceAllStringFunc(strings.ReplaceAll(line, "~", ""), func(p string) string { return made(rng, p[1:len(p)-1]) })
			shapes[Of(message)]++
			example[Of(message)] = message
		}
		for _, n := range shapes {
			ok = ok || n >= 28 // of ids made by chance some few read like words
		}
		for shape, message := range example {
			for _, w := range strings.Fields(glued.ReplaceAllString(line, " ")) {
				if w = strings.Trim(w, `"'.,:;()[]{}@=#-`); w != "" && !strings.Contains(shape, w) {
					ok = false
					if half == "seen" {
						t.Logf("%q went: %s\n  of %s", w, shape, message)
					}
				}
			}
		}
		if ok {
			right[half]++
		} else if half == "seen" {
			t.Logf("%d shapes: %s", len(shapes), line)
			n := 0
			for shape := range shapes {
				if n++; n < 4 {
					t.Logf("    %s", shape)
				}
			}
		}
	}
	for half := range all {
		t.Logf("%s: %d of %d messages right", half, right[half], all[half])
		if right[half]*100 < all[half]*97 || all[half] < 80 {
			t.Errorf("%s: %d of %d messages are right", half, right[half], all[half])
		}
	}
}
