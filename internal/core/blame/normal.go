package blame

import (
	"regexp"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/stacktrace"
)

// deployed are directories that applications are put in as a whole, before
// whatever their sources lie in: containers, servers, build machines, homes.
var deployed = regexp.MustCompile(`^(?:/(?:usr/src/app|usr/local/app|usr/local/src|app|apps|code|src|srv|workspace|workspaces|work|build|builds/[^/]+|data|var/task|var/www/html|var/www|var/lib|opt/app|opt|repo|project|root|github/workspace|home/runner/work/[^/]+|home/[^/]+|Users/[^/]+)|[A-Za-z]:[\\/](?:Users[\\/][^\\/]+|inetpub[\\/]wwwroot|[^\\/]+))[\\/]`)

// ModuleBelowRoot is Module as grouping versions from 6 on have it: a directory
// that an application was put in as a whole is no part of it, whatever it is called.
func ModuleBelowRoot(f event.Frame) string {
	if f.File != f.Raw.File {
		return Module(f)
	}
	file := strings.TrimPrefix(f.File, "file://")
	if absolute(file) && !strings.Contains(file, "node_modules/") {
		if at := deployed.FindString(file); at != "" && len(at) < len(file) {
			rest := file[len(at):]
			if slash := strings.LastIndexAny(rest, `/\\`); slash > 0 {
				f.File, f.Raw.File = "/"+rest, "/"+rest
			}
		}
	}
	return Module(f)
}

// Module is where a frame's function is written, without what differs from
// machine to machine and build to build.
func Module(f event.Frame) string {
	path := stacktrace.Path(f.File)
	if f.File == "" {
		return ""
	}
	if dependency := dependencyOf(path); dependency != "" {
		return dependency
	}
	if i := strings.LastIndex(path, "/./"); i >= 0 { // a bundler's name before it
		path = path[i+3:]
	}
	if absolute(f.File) {
		path = belowRoot(path)
	}
	if resolvedFile(f) {
		return path // a source is called as people called it
	}
	parts := strings.Split(path, "/")
	kept := parts[:0]
	for i, p := range parts {
		if i < len(parts)-1 && generated.MatchString(p) {
			continue
		}
		kept = append(kept, p)
	}
	last := len(kept) - 1
	kept[last] = chunk.ReplaceAllString(kept[last], "$1")
	return strings.Join(kept, "/")
}

// generated are directories that a release, a build or a deployment names.
var generated = regexp.MustCompile(`^(?:v?\d+(?:\.\d+)+[\w.+-]*|[0-9a-f]{7,64}|\d{6,}|[0-9a-f]{8}-[0-9a-f-]{27})$`)

// chunk is a hash or a number in the name of a generated file: "12.js",
// "main.3f2a9c.chunk.js".
var chunk = regexp.MustCompile(`(?:^|[.~_-])(?:[0-9a-f]*\d[0-9a-f]{4,}|\d+)((?:\.chunk|\.bundle)?\.[cm]?js)$`)

// dependencyOf is the package that a file of a dependency belongs to: where in
// it a function lies changes from version to version.
func dependencyOf(path string) string {
	i := strings.LastIndex(path, "node_modules/")
	if i < 0 {
		return ""
	}
	parts := strings.SplitN(path[i+len("node_modules/"):], "/", 3)
	if strings.HasPrefix(parts[0], "@") && len(parts) > 1 {
		return "node_modules/" + parts[0] + "/" + parts[1]
	}
	return "node_modules/" + parts[0]
}

// absolute says whether a file is named from the root of a disk.
func absolute(file string) bool {
	return strings.HasPrefix(file, "/") || strings.HasPrefix(file, "file://") || len(file) > 2 && file[1] == ':' &&
		(file[2] == '\\' || file[2] == '/')
}

// roots are directories that sources lie in, wherever these are put.
var roots = map[string]bool{"src": true, "app": true, "lib": true, "dist": true, "build": true, "packages": true,
	"apps": true, "cmd": true, "internal": true, "pkg": true, "server": true, "client": true}

// belowRoot leaves off the part of a path that says where it was put: up to
// the first directory that sources lie in, else all but the last two parts.
func belowRoot(path string) string {
	parts := strings.Split(path, "/")
	for i, p := range parts[:len(parts)-1] {
		if roots[p] {
			return strings.Join(parts[i:], "/")
		}
	}
	return strings.Join(parts[max(0, len(parts)-2):], "/")
}

var (
	numbered = regexp.MustCompile(`\.func\d+(?:\.\d+)*|\.gowrap\d+|\$\d+`) // closures are counted where they stand
	lambda   = regexp.MustCompile(`(\$\$Lambda)[$/\w.]*|(lambda\$\w+)\$\d+|(\$\$(?:EnhancerBy|FastClassBy|SpringCGLIB)\w*)\$\$\w+|(\$Proxy|GeneratedMethodAccessor|GeneratedConstructorAccessor)\d+`)
	suffix   = regexp.MustCompile(`[_$-](?:[0-9a-f]*\d[0-9a-f]{5,}|[0-9a-f]{8,})$`)
)

// Function is the name of a frame's function, without what compilers number
// and browsers add.
func Function(f event.Frame) string {
	name := f.Called()
	if javaScript(f.File) && resolvedFile(f) {
		return name // as the source has it
	}
	name = lambda.ReplaceAllString(name, "$1$2$3$4")
	name = numbered.ReplaceAllStringFunc(name, func(s string) string {
		if strings.HasPrefix(s, ".func") {
			return ".func"
		}
		if strings.HasPrefix(s, ".gowrap") {
			return ""
		}
		return "$"
	})
	name = strings.TrimSuffix(suffix.ReplaceAllString(name, ""), "$")
	if javaScript(f.File) {
		// Engines print the receiver, or do not.
		name = strings.TrimPrefix(strings.TrimPrefix(strings.TrimPrefix(name, "bound "), "get "), "set ")
		if i := strings.LastIndexByte(name, '.'); i >= 0 && i < len(name)-1 && !strings.ContainsAny(name, " [(") {
			name = name[i+1:]
		}
	}
	return name
}

// resolvedFile says whether symbols have named the frame's file.
func resolvedFile(f event.Frame) bool { return f.Raw.File != f.File }

func javaScript(file string) bool {
	file, _, _ = strings.Cut(file, "?")
	for _, ext := range []string{".js", ".mjs", ".cjs", ".ts", ".tsx", ".jsx", ".mts", ".cts", ".vue", ".svelte"} {
		if strings.HasSuffix(file, ext) {
			return true
		}
	}
	return strings.Contains(file, "://")
}

// generic are types that say nothing of the cause.
var generic = map[string]bool{"Error": true, "Exception": true, "UnhandledRejection": true, "AggregateError": true,
	"*errors.errorString": true, "*fmt.wrapError": true, "*fmt.wrapErrors": true, "*errors.joinError": true,
	"panic": true, "java.lang.Exception": true, "java.lang.RuntimeException": true, "java.lang.Throwable": true,
	"java.util.concurrent.ExecutionException": true, "java.util.concurrent.CompletionException": true,
	"System.Exception": true, "System.AggregateException": true}

// minified is what builds make of names of classes.
var minified = regexp.MustCompile(`^[A-Za-z_$][\w$]?$|^[a-z_$][\w$]{2}$|^[A-Za-z_$]\d[\w$]?$`)

// Type is the type of an exception where it says something of the cause.
func Type(x event.Exception) (name, why string) {
	switch {
	case full(x):
		return "stack overflow", "the stack ran full, which engines name differently"
	case x.Type == "":
		return "", ""
	case generic[x.Type]:
		return "", "the type " + x.Type + " says nothing of the cause"
	case minified.MatchString(x.Type):
		return "", "the type " + x.Type + " reads like a name that a build made"
	}
	return numbered.ReplaceAllString(x.Type, "$"), ""
}
