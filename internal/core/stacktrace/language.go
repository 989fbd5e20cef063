package stacktrace

import (
	"path"
	"strings"

	"firethorn/internal/core/event"
)

// extensions give a frame's language by its file.
var extensions = map[string]Language{
	".java": Java, ".kt": Java, ".kts": Java, ".scala": Java, ".groovy": Java, ".clj": Java, ".py": Python,
	".pyx": Python, ".go": Go, ".rb": Ruby, ".erb": Ruby, ".rake": Ruby,
	".php": PHP, ".phtml": PHP, ".cs": DotNet, ".vb": DotNet, ".fs": DotNet, ".rs": Rust, ".pl": Perl, ".pm": Perl,
	".t": Perl,
	".c": Native, ".cc": Native, ".cpp": Native, ".cxx": Native, ".h": Native, ".hpp": Native, ".m": Native,
	".mm": Native, ".swift": Native, ".s": Native, ".S": Native,
}

// LanguageOf is the language of one frame, as far as its own file and module
// tell; JavaScript where they tell nothing.
func LanguageOf(f event.RawFrame) Language {
	if l, ok := extensions[path.Ext(f.File)]; ok {
		return l
	}
	switch {
	case f.File == "" && f.Module == "" && (f.Address != "" || f.Image != ""):
		return Native
	case f.File != "" && !strings.HasPrefix(f.File, "<frozen "), f.Module == "":
		return JavaScript
	case strings.Contains(f.Module, `\`):
		return PHP
	case strings.Contains(f.Module, "::"):
		return Rust
	case begins(runtimeModules[Java], f.Module+"."), begins(vendorModules[Java], f.Module+"."):
		return Java
	}
	return DotNet
}

// Shown is how a frame is shown: its function with the class or package it is
// in, its file with the package's directories.
func Shown(f event.RawFrame) (function, file string) {
	function, file = f.Function, f.File
	if f.Module == "" {
		return function, file
	}
	switch LanguageOf(f) {
	case Java:
		class := f.Module[strings.LastIndexByte(f.Module, '.')+1:]
		if i := strings.LastIndexByte(f.Module, '.'); i > 0 && file != "" && !strings.Contains(file, "/") {
			file = strings.ReplaceAll(f.Module[:i], ".", "/") + "/" + file
		}
		return class + "." + function, file
	case Go:
		return f.Module[strings.LastIndexByte(f.Module, '/')+1:] + "." + function, file
	case DotNet:
		return f.Module[strings.LastIndexByte(f.Module, '.')+1:] + "." + function, file
	case Rust:
		_, last := rustSplit(f.Module)
		return last + "::" + function, file
	case Perl:
		return f.Module + "::" + function, file
	case PHP:
		return f.Module[strings.LastIndexByte(f.Module, '\\')+1:] + "->" + function, file
	case Ruby:
		return f.Module + "#" + function, file
	}
	return function, file
}

// foreign are words that traces of JavaScript do not hold, each of another
// language.
var foreign = []string{".java:", ".kt:", ".scala:", ".groovy:", "(Native Method)", "(Unknown Source)", `File "`,
	"goroutine ", "\n#0 ", "#0  ", ".rb:", " line ", "panicked at", ":line ", "[0x0", ".cs:", " called at "}

// Frames are the frames of one exception's stack text, innermost first. typ
// and message are the exception's: message lines that look like frames stay
// message lines. Of a text that holds several exceptions it is the first that
// has frames.
func Frames(text, typ, message string, limit int) []event.RawFrame {
	if plainV8(text) {
		return Parse(text, typ, message, limit).Frames
	}
	for _, w := range foreign {
		if strings.Contains(text, w) {
			if t := Read(text, limit); t.Language != JavaScript {
				for _, x := range t.Exceptions {
					if len(x.Frames) > 0 {
						return x.Frames
					}
				}
			}
			break
		}
	}
	return Parse(text, typ, message, limit).Frames
}

// plainV8 says whether the first frame is of the commonest form, which settles
// it without a search.
func plainV8(text string) bool {
	i := strings.Index(text, "\n    at ")
	if i < 0 {
		return false
	}
	line, _, _ := strings.Cut(text[i+1:min(len(text), i+1+maxLine)], "\n")
	f, ok := parseLine(line)
	return ok && f.Column > 0
}
