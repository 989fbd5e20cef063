package sourcemap

import (
	"errors"
	"strings"
	"testing"
)

func TestLink(t *testing.T) {
	for name, c := range map[string]struct{ code, want string }{
		"a line":                   {"run()\n//# sourceMappingURL=app.js.map\n", "app.js.map"},
		"the old sign":             {"run()\n//@ sourceMappingURL=app.js.map", "app.js.map"},
		"a block":                  {"run()\n/*# sourceMappingURL=app.css.map */\n", "app.css.map"},
		"behind code on its line":  {"run() //# sourceMappingURL=app.js.map\n", "app.js.map"},
		"Windows line ends":        {"run()\r\n//# sourceMappingURL=app.js.map\r\n", "app.js.map"},
		"the last one counts":      {"//# sourceMappingURL=a.map\nrun()\n//# sourceMappingURL=b.map\n", "b.map"},
		"comments may follow":      {"//# sourceMappingURL=a.map\n//# debugId=0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01\n/* end */\n", "a.map"},
		"code may not":             {"//# sourceMappingURL=a.map\nrun()\n", ""},
		"in a string":              {"const s = 'sourceMappingURL=a.map'\n", ""},
		"none":                     {"run()\n", ""},
		"with a blank in the name": {"//# sourceMappingURL=a b.map\n", ""},
	} {
		if got := Link([]byte(c.code)); got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	long := strings.Repeat("x", 5<<20)
	if got := Link([]byte("//# sourceMappingURL=data:application/json;base64," + long)); len(got) < 5<<20 {
		t.Errorf("a long inline map: %d bytes", len(got))
	}
}

func TestData(t *testing.T) {
	for link, want := range map[string]string{
		"data:application/json;base64,eyJhIjoxfQ==": `{"a":1}`, "data:application/json;charset=utf-8;base64,eyJhIjoxfQ": `{"a":1}`,
		"data:application/json,%7B%22a%22%3A1%7D": `{"a":1}`, "data:,": "", "data:application/json;base64,eyJhIjoxfQ%3D%3D": `{"a":1}`,
	} {
		if got, err := Data(link); err != nil || string(got) != want {
			t.Errorf("%s: %q, %v", link, got, err)
		}
	}
	if _, err := Data("app.js.map"); !errors.Is(err, ErrNoData) {
		t.Errorf("a path: %v", err)
	}
	for _, link := range []string{"data:application/json;base64,!", "data:nothing", "data:,%zz"} {
		if _, err := Data(link); err == nil || errors.Is(err, ErrNoData) {
			t.Errorf("%s: %v", link, err)
		}
	}
}
