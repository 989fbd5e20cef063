package comment

import (
	"strings"
	"testing"
)

func TestClean(t *testing.T) {
	for in, want := range map[string]string{" a\r\nb\x00\x1b[31m \n": "a\nb[31m", "tab\there": "tab\there", "\xff": "�", "\u202e turned": "\u202e turned"} {
		if got, err := Clean(in); err != nil || got != want {
			t.Errorf("%q: %q, %v", in, got, err)
		}
	}
	for _, bad := range []string{"", " \n\t", strings.Repeat("x", MaxLength+1)} {
		if _, err := Clean(bad); err == nil {
			t.Errorf("%.20q was taken", bad)
		}
	}
}

func TestMentions(t *testing.T) {
	people := []Person{{"Maren Holt", "maren.holt@marrowsound.example"}, {"Oke Farrow", "oke@marrowsound.example"}, {"Søren Ås", "s@marrowsound.example"}}
	for text, want := range map[string]string{
		"@maren.holt, see this": "Maren Holt", "ask @Oke-Farrow and @maren.holt and @oke": "Oke Farrow Maren Holt", "(@okefarrow)": "Oke Farrow", "@SørenÅs!": "Søren Ås", "to @oke.": "Oke Farrow",
		"write to oke@marrowsound.example": "", "`@oke` is code": "", "``a ` @oke`` too": "", "```\n@oke\n```\n@maren.holt": "Maren Holt", "one ` alone @oke": "Oke Farrow",
		"~~~ts\n@Injectable() @oke\n": "", "@nobody @ @.": "", "@okeF": "",
	} {
		if got := strings.Join(Mentions(text, people), " "); got != want {
			t.Errorf("%q mentions %q, want %q", text, got, want)
		}
	}
}

// Of two people who are called alike the first is meant, however often.
func TestMentions_TwoOfOneHandle(t *testing.T) {
	sams := []Person{{"Sam Orrin", "sam@marrowsound.example"}, {"Sam Lund", "sam@tarn.example"}}
	if got := Mentions("@sam and @sam again", sams); len(got) != 1 || got[0] != "Sam Orrin" {
		t.Errorf("@sam twice mentions %q", got)
	}
}

func FuzzMentions(f *testing.F) {
	f.Add("a `b` @oke ```\n")
	f.Fuzz(func(t *testing.T, text string) {
		if n := len(Mentions(text, []Person{{"Oke Farrow", "oke@x.example"}})); n > 1 {
			t.Errorf("one person is mentioned %d times", n)
		}
	})
}
