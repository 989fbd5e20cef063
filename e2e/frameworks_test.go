package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// frameworks are the frameworks for which the README of the Go client has a
// recipe: how a route that panics is added, and what is asked for it.
var frameworks = []struct{ name, route, serve string }{
	{"Gin", `router.GET("/test", func(*gin.Context) { panic("no berth") })`, `ask(firethorn.Handler(router))`},
	{"Echo", `router.GET("/test", func(echo.Context) error { panic("no berth") })`, `ask(firethorn.Handler(router))`},
	{"Fiber", "", `app.Get("/test", func(*fiber.Ctx) error { panic("no berth") })
	if res, err := app.Test(httptest.NewRequest("GET", "/test", nil)); err != nil || res.StatusCode != 500 {
		log.Fatal(res, err)
	}`},
	{"chi", `router.Get("/test", func(http.ResponseWriter, *http.Request) { panic("no berth") })`, `ask(router)`},
}

const frameworkProgram = `package main

import (
	"log"
	"net/http"
	"net/http/httptest"
	"os"
IMPORTS
	firethorn "firethorn.example/client"
)

func ask(h http.Handler) {
	w := httptest.NewRecorder()
	h.ServeHTTP(w, httptest.NewRequest("GET", "/test", nil))
	if w.Code != 500 {
		log.Fatal("the framework answers ", w.Code)
	}
}

func main() {
	stop := firethorn.Start(firethorn.Options{Server: os.Args[1], Key: os.Args[2], Service: "ledger", Release: "1.0.0", Dir: "-"})
	defer stop()
RECIPE
}
`

var imports = map[string]string{
	"Gin": `"github.com/gin-gonic/gin"`, "Echo": "\"github.com/labstack/echo/v4\"\n\t\"github.com/labstack/echo/v4/middleware\"",
	"Fiber": "\"github.com/gofiber/fiber/v2\"\n\t\"github.com/gofiber/fiber/v2/middleware/recover\"", "chi": "\"github.com/go-chi/chi/v5\"\n\t\"github.com/go-chi/chi/v5/middleware\"",
}

// TestGoClient_RecipesForFrameworks runs each recipe of the README with a
// handler that panics: the framework answers as it would have, and the panic
// is reported with its stack.
func TestGoClient_RecipesForFrameworks(t *testing.T) {
	t.Parallel()
	if testing.Short() {
		t.Skip("it downloads four frameworks")
	}
	client, err := filepath.Abs("../client/go")
	if err != nil {
		t.Fatal(err)
	}
	readme, err := os.ReadFile(filepath.Join(client, "README.md"))
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	application(t, dir, map[string]string{"go.mod": "module marrowsound.example/ledger\n\ngo 1.25\n\nrequire (\n\tfirethorn.example/client v0.1.0\n\tgithub.com/gin-gonic/gin v1.11.0\n\tgithub.com/labstack/echo/v4 v4.13.4\n\tgithub.com/gofiber/fiber/v2 v2.52.9\n\tgithub.com/go-chi/chi/v5 v5.2.3\n)\n\nreplace firethorn.example/client => " + client + "\n"})
	for _, f := range frameworks {
		block := regexp.MustCompile("(?s)\n" + f.name + "[ ,:].*?```go\n(.*?)```").FindSubmatch(readme)
		if block == nil {
			t.Fatalf("the README has no recipe for %s", f.name)
		}
		recipe := regexp.MustCompile(`(?m)^http\.ListenAndServe.*\n`).ReplaceAllString(string(block[1]), "")
		code := strings.NewReplacer("IMPORTS", "\n\t"+imports[f.name], "RECIPE", recipe+"\n"+f.route+"\n"+f.serve).Replace(frameworkProgram)
		if f.name == "Fiber" {
			code = strings.Replace(strings.Replace(code, "\t\"net/http\"\n", "", 1), code[strings.Index(code, "func ask("):strings.Index(code, "func main()")], "", 1)
		}
		application(t, dir, map[string]string{strings.ToLower(f.name) + "/main.go": code})
	}
	guideStep{Title: "the frameworks", Run: "go mod tidy && go build -o bin/ ./..."}.run(t, dir)
	for _, f := range frameworks {
		t.Run(f.name, func(t *testing.T) {
			project := "framework-" + strings.ToLower(f.name)
			key := shared.project(t, project)
			guideStep{Title: f.name, Run: fmt.Sprintf("bin/%s %s %s", strings.ToLower(f.name), shared.url, key)}.run(t, dir)
			e := newest(t, shared, project)
			if first := shared.issues(t, project)[0]; !strings.HasPrefix(first.Headline, "panic in main.main.func") && !strings.HasPrefix(first.Headline, "*errors.errorString in main.main.func") {
				t.Errorf("%s at %s", first.Headline, first.Place)
			}
			if !strings.Contains(text(e, "exceptions", "0", "message"), "no berth") || text(e, "attributes", "url.path") != "/test" || text(e, "attributes", "http.request.method") != "GET" {
				t.Errorf("%v of %v", e["exceptions"], e["attributes"])
			}
		})
	}
}
