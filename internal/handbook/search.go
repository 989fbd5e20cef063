package handbook

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// Hit is a section that a search found.
type Hit struct {
	Page, Title, Heading, Anchor string
	Excerpt                      string // plain text around the first word that was found
	score                        float64
}

// Index finds sections of pages by their words. It is safe for concurrent use once it is made.
type Index struct {
	sections []indexed
	holding  map[string]int // word → sections that hold it
}

// indexed is a section with the weight of each of its words.
type indexed struct {
	Hit
	text    string
	weights map[string]float64
	length  float64
}

// Weights of a word by where it stands.
const (
	inTitle   = 5.0
	inHeading = 8.0
	inText    = 1.0
)

// NewIndex makes the index of pages.
func NewIndex(pages []Page) *Index {
	x := &Index{holding: map[string]int{}}
	for _, p := range pages {
		for _, s := range p.Sections {
			plain := plainText(s.Text)
			if plain == "" && s.Heading == "" {
				continue
			}
			in := indexed{Hit: Hit{Page: p.Name, Title: p.Title, Heading: s.Heading, Anchor: s.Anchor},
				text: plain, weights: map[string]float64{}}
			for where, text := range map[float64]string{inTitle: p.Title, inHeading: s.Heading, inText: plain} {
				for _, w := range words(text) {
					in.weights[w] += where
					in.length++
				}
			}
			for w := range in.weights {
				x.holding[w]++
			}
			x.sections = append(x.sections, in)
		}
	}
	return x
}

// Search gives the sections that hold words of a question, the best first: those that hold more of them
// count more. The last word may be the beginning of one.
func (x *Index) Search(question string, limit int) []Hit {
	asked := words(question)
	if len(asked) == 0 {
		return nil
	}
	var hits []Hit
	for _, s := range x.sections {
		score, found := 0.0, 0
		for i, w := range asked {
			if one := x.score(s, w, i == len(asked)-1); one > 0 {
				score, found = score+one, found+1
			}
		}
		if found == 0 {
			continue
		}
		share := float64(found) / float64(len(asked))
		score *= share * share
		if phrase := strings.ToLower(strings.TrimSpace(question)); len(asked) > 1 &&
			strings.Contains(strings.ToLower(s.Heading+" "+s.text), phrase) {
			score *= 2
		}
		score *= weightOf(s.Page)
		h := s.Hit
		h.score, h.Excerpt = score, excerpt(s.text, asked)
		hits = append(hits, h)
	}
	slices.SortStableFunc(hits, func(a, b Hit) int { return cmp.Compare(b.score, a.score) })
	return hits[:min(limit, len(hits))]
}

// weightOf is how likely a page is what somebody looks for who uses the service: how it is built is
// seldom asked, and the front page only leads on.
func weightOf(page string) float64 {
	switch {
	case strings.HasPrefix(page, "decisions/") || page == "packages" || page == "performance":
		return 0.25
	case page == "architecture" || page == frontPage:
		return 0.4
	}
	return 1
}

// score is what one word says for a section: rare words say more, and long sections less
// (Robertson and Zaragoza 2009, BM25).
func (x *Index) score(s indexed, word string, last bool) float64 {
	const saturation, lengths, usual = 1.5, 0.6, 150
	weight, holding := s.weights[word], x.holding[word]
	if last && weight == 0 && len(word) >= 3 {
		for w, n := range s.weights {
			if strings.HasPrefix(w, word) && n > weight {
				weight, holding = n*0.8, x.holding[w]
			}
		}
	}
	if weight == 0 {
		return 0
	}
	rare := math.Log(1 + float64(len(x.sections))/float64(holding))
	return rare * weight * (saturation + 1) / (weight + saturation*(1-lengths+lengths*s.length/usual))
}

// words are a text's words in their plain form: lower case, without the endings of English plurals.
func words(text string) (out []string) {
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c)
	}) {
		if !common[w] {
			out = append(out, stem(w))
		}
	}
	return out
}

// common words say nothing of what is asked.
var common = map[string]bool{"a": true, "an": true, "and": true, "are": true, "as": true, "at": true, "be": true,
	"by": true, "do": true, "does": true, "for": true, "how": true, "i": true, "in": true, "is": true, "it": true,
	"my": true, "of": true, "on": true, "or": true, "that": true, "the": true, "to": true, "what": true, "when": true,
	"where": true, "which": true, "with": true}

func stem(w string) string {
	switch {
	case len(w) > 4 && strings.HasSuffix(w, "ies"):
		return w[:len(w)-3] + "y"
	case len(w) > 5 && strings.HasSuffix(w, "ing"):
		return strings.TrimSuffix(w[:len(w)-3], "e")
	case len(w) > 4 && strings.HasSuffix(w, "ed"):
		return strings.TrimSuffix(w[:len(w)-2], "e")
	case len(w) > 3 && strings.HasSuffix(w, "s") && !strings.HasSuffix(w, "ss") && !strings.HasSuffix(w, "us"):
		return strings.TrimSuffix(w[:len(w)-1], "e")
	case len(w) > 4 && strings.HasSuffix(w, "e"):
		return w[:len(w)-1]
	}
	return w
}

var (
	linkText = regexp.MustCompile(`!?\[([^\]]*)\]\([^)]*\)`)
	marks    = regexp.MustCompile("[*`]+|\\|[-:| ]+\\||^#+ ")
	spaces   = regexp.MustCompile(`[\s|]+`)
)

// plainText is what Markdown says, without its marks.
func plainText(text string) string {
	text = linkText.ReplaceAllString(text, "$1")
	return strings.TrimSpace(spaces.ReplaceAllString(marks.ReplaceAllString(text, " "), " "))
}

// excerpt is the text around the first word that was asked for.
func excerpt(text string, asked []string) string {
	const before, length = 60, 220
	at := 0
	for i, w := range wordStarts(text) {
		if slices.Contains(asked, stem(strings.ToLower(w))) {
			at = i
			break
		}
	}
	from := max(0, at-before)
	if from > 0 {
		if space := strings.IndexByte(text[from:], ' '); space >= 0 {
			from += space + 1
		}
	}
	to := min(len(text), from+length)
	for to < len(text) && text[to] != ' ' {
		to++
	}
	out := text[from:to]
	if from > 0 {
		out = "… " + out
	}
	if to < len(text) {
		out += " …"
	}
	return strings.ToValidUTF8(out, "")
}

// wordStarts walks over the words of a text in their order, with where each begins.
func wordStarts(text string) func(yield func(int, string) bool) {
	return func(yield func(int, string) bool) {
		start := -1
		for i, c := range text + " " {
			letter := unicode.IsLetter(c) || unicode.IsDigit(c)
			switch {
			case letter && start < 0:
				start = i
			case !letter && start >= 0:
				if !yield(start, text[start:i]) {
					return
				}
				start = -1
			}
		}
	}
}
