package stacktrace

import (
	"net/url"
	"regexp"
	"strings"

	"firethorn/internal/core/event"
)

// KindOf says whose code a frame in this file is. file is a source path where
// the frame was symbolicated, else what the runtime gave.
func KindOf(file string) event.Kind {
	switch {
	case file == "" || file == "native" || file == "<anonymous>" || file == "[native code]",
		strings.HasPrefix(file, "node:"), strings.HasPrefix(file, "internal/"),
		strings.HasPrefix(file, "bun:"), strings.HasPrefix(file, "ext:"), strings.HasPrefix(file, "debugger "),
		strings.HasPrefix(file, "index "),
		strings.Contains(file, "webpack/bootstrap"), strings.Contains(file, "webpack/runtime/"):
		return event.Runtime
	case strings.Contains(file, "node_modules/"), strings.Contains(file, "-extension://"),
		strings.HasPrefix(file, "vite/"), strings.HasPrefix(file, "\x00"):
		return event.Vendor
	}
	return event.Own
}

// hashPart is a build's content hash in a file name: "app-3f2aB9x_.js".
var hashPart = regexp.MustCompile(`[-._][0-9A-Za-z_-]{6,24}(\.(?:[cm]?js|css))$`)

// Path is a frame's file without origin, leading dots, query, and content
// hash: what stays the same from build to build and host to host.
func Path(file string) string {
	if i := strings.IndexAny(file, "?#"); i > 0 {
		file = file[:i]
	}
	if u, err := url.Parse(file); err == nil && u.Scheme != "" && len(u.Scheme) > 1 {
		if u.Opaque != "" {
			file = u.Opaque
		} else {
			file = u.Path
		}
	}
	file = strings.ReplaceAll(file, "\\", "/")
	for {
		cut := strings.TrimPrefix(strings.TrimPrefix(strings.TrimPrefix(file, "/"), "./"), "../")
		if cut == file {
			break
		}
		file = cut
	}
	if m := hashPart.FindStringSubmatchIndex(file); m != nil && looksHashed(file[m[0]+1:m[2]]) {
		file = file[:m[0]] + file[m[2]:]
	}
	return file
}

// looksHashed distinguishes a content hash from a word: it has a digit or both cases.
func looksHashed(s string) bool {
	digit := strings.ContainsAny(s, "0123456789")
	mixed := s != strings.ToLower(s) && s != strings.ToUpper(s)
	return len(s) >= 6 && (digit || mixed)
}

// runtimeModules begin the names of what comes with a language's runtime.
var runtimeModules = map[Language][]string{
	Java:   {"java.", "javax.", "jdk.", "sun.", "com.sun.", "kotlin.", "scala.", "groovy.lang.", "clojure."},
	DotNet: {"System.", "System", "Microsoft.", "Mono."},
	Rust:   {"std::", "core::", "alloc::", "__rustc", "<core::", "<std::", "<alloc::"},
	Perl:   {"Carp"},
}

// vendorModules begin the names of packages that many applications use and
// none of them wrote.
var vendorModules = map[Language][]string{
	Java: {"org.springframework.", "org.apache.", "org.hibernate.", "org.eclipse.", "org.jboss.", "org.junit.",
		"org.slf4j.", "com.google.", "com.fasterxml.", "com.zaxxer.", "io.netty.", "io.micronaut.",
		"io.quarkus.", "io.ktor.", "io.vertx.", "reactor.", "rx.", "akka.", "jakarta.", "okhttp3.", "retrofit2.",
		"kotlinx.", "androidx.", "android.", "ch.qos.logback.", "cats.", "zio."},
	DotNet: {"Newtonsoft.", "Npgsql.", "Dapper.", "Serilog.", "Autofac.", "MediatR.", "Polly.", "NUnit.", "Xunit."},
}

// runtimeFiles and vendorFiles are parts of paths where runtimes and
// dependencies lie.
var runtimeFiles = map[Language][]string{
	Python: {"<frozen ", "/lib/python2", "/lib/python3", `\lib\python`, "/python3.", "<string>"},
	Go:     {"/usr/local/go/src/", "/go/src/runtime/", "/libexec/src/", "/goroot/src/", "/lib/go/src/", "/lib/go-"},
	Ruby:   {"<internal:", "/lib/ruby/2", "/lib/ruby/3"},
	PHP:    {"[internal function]"},
	Rust:   {"/rustc/", "/library/std/", "/library/core/", "/library/alloc/"},
	Perl:   {"/usr/share/perl", "/usr/lib/x86_64-linux-gnu/perl", "/lib/perl5/"},
	Native: {"/usr/lib/", "/lib/", "../sysdeps/", "./csu/", "/build/glibc", "../csu/", "./nptl/"},
}

var vendorFiles = map[Language][]string{
	Python: {"site-packages/", "dist-packages/"},
	Go:     {"/pkg/mod/", "/vendor/"},
	Ruby:   {"/gems/", "/bundler/"},
	PHP:    {"/vendor/"},
	Rust:   {"/.cargo/registry/", "/.cargo/git/"},
	Perl:   {"/local/lib/perl5/", "/site_perl/"},
}

// Kind says whose code a frame of a language is, as its dependencies and its
// runtime are usually laid out.
func Kind(language Language, f event.RawFrame) event.Kind {
	if f.Own != nil {
		if *f.Own {
			return event.Own
		}
		return event.Vendor
	}
	if language == JavaScript || language == "" {
		return KindOf(f.File)
	}
	if language == Go && f.File != "" && f.File[0] != '/' { // a build that trims paths
		first, _, _ := strings.Cut(f.File, "/")
		home, _, _ := strings.Cut(f.Module, "/")
		switch {
		case strings.Contains(f.File, "@v"):
			return event.Vendor
		case standardGo[first] &&
			(f.Module == "" || strings.HasPrefix(f.File, f.Module+"/") || first == "runtime" &&
				standardGo[home]): // panic has no package; sync's waiting stands in runtime
			return event.Runtime
		}
	}
	name := f.Module + separator(language) + f.Function
	switch {
	case contains(vendorFiles[language], f.File), begins(vendorModules[language], name):
		return event.Vendor
	case contains(runtimeFiles[language], f.File), begins(runtimeModules[language], name), language == Native &&
		f.File == "":
		return event.Runtime
	}
	return event.Own
}

// standardGo are the first parts of the paths of Go's standard library that
// stand in traces.
var standardGo = map[string]bool{"runtime": true, "net": true, "encoding": true, "fmt": true, "os": true, "io": true,
	"sync": true, "reflect": true, "time": true, "context": true, "errors": true, "strings": true, "bytes": true,
	"bufio": true,
	"sort":  true, "slices": true, "testing": true, "internal": true, "database": true, "crypto": true, "log": true,
	"math": true, "text": true, "html": true, "regexp": true, "strconv": true, "syscall": true, "archive": true,
	"compress": true, "iter": true, "go": true, "mime": true, "image": true}

func separator(language Language) string {
	switch language {
	case Rust, Perl:
		return "::"
	}
	return "."
}

func contains(parts []string, s string) bool {
	for _, p := range parts {
		if strings.Contains(s, p) {
			return true
		}
	}
	return false
}

func begins(prefixes []string, s string) bool {
	for _, p := range prefixes {
		if strings.HasPrefix(s, p) {
			return true
		}
	}
	return false
}
