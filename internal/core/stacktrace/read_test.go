package stacktrace

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"firethorn/internal/core/event"
)

var update = flag.Bool("update", false, "write the golden files anew")

// tell writes what was read for people to compare.
func tell(t Text) string {
	var b strings.Builder
	fmt.Fprintf(&b, "language %s\n", t.Language)
	for i, x := range t.Exceptions {
		fmt.Fprintf(&b, "%d: %s: %q", i, x.Type, x.Message)
		if x.Parent >= 0 {
			fmt.Fprintf(&b, " (%s of %d)", x.Relation, x.Parent)
		}
		if x.Omitted > 0 {
			fmt.Fprintf(&b, " (%d omitted)", x.Omitted)
		}
		b.WriteByte('\n')
		for j, f := range x.Frames {
			if j == 12 && len(x.Frames) > 16 {
				fmt.Fprintf(&b, "   … %d more\n", len(x.Frames)-j)
				break
			}
			fmt.Fprintf(&b, "   %s | %s | %s:%d:%d", f.Module, f.Function, f.File, f.Line, f.Column)
			if f.Image != "" || f.Address != "" {
				fmt.Fprintf(&b, " | %s %s", f.Address, f.Image)
			}
			fmt.Fprintf(&b, " | %s\n", Kind(t.Language, f))
		}
	}
	for _, l := range t.Rest {
		fmt.Fprintf(&b, "rest %q\n", l)
	}
	return b.String()
}

// What runtimes really printed; the programs stand beside the texts.
func TestRead_Printed(t *testing.T) {
	files, err := filepath.Glob("testdata/printed/*.txt")
	if err != nil || len(files) < 18 {
		t.Fatalf("%d texts, %v", len(files), err)
	}
	for _, file := range files {
		raw, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		got := tell(Read(string(raw), 1000))
		golden := strings.TrimSuffix(file, ".txt") + ".golden"
		if *update {
			if err := os.WriteFile(golden, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(golden)
		if err != nil || string(want) != got {
			t.Errorf("%s: %v\n got\n%s\nwant\n%s", file, err, got, want)
		}
	}
}

func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("testdata/printed/*.txt")
	for _, file := range files {
		if raw, err := os.ReadFile(file); err == nil {
			f.Add(string(raw))
		}
	}
	f.Fuzz(func(t *testing.T, text string) {
		got := Read(text, 20)
		for i, x := range got.Exceptions {
			if len(x.Frames) > 20 || x.Parent >= i || x.Parent < -1 || x.Parent < 0 && x.Relation != "" {
				t.Fatalf("exception %d of %q: %+v", i, text, x)
			}
			for _, fr := range x.Frames {
				if fr.Line < 0 || fr.Column < 0 || fr.File == "" && fr.Function == "" && fr.Address == "" {
					t.Fatalf("frame %+v of %q", fr, text)
				}
			}
		}
	})
}

// oneLine writes frames shortly, exceptions parted by " | ".
func oneLine(t Text) string {
	var out []string
	for _, x := range t.Exceptions {
		s := x.Type + ":"
		for _, f := range x.Frames {
			function, file := Shown(f)
			s += fmt.Sprintf(" %s@%s:%d", function, file, f.Line)
		}
		out = append(out, s)
	}
	return string(t.Language) + " " + strings.Join(out, " | ")
}

// Forms that no runtime here prints, from the languages' own documentation.
func TestRead_OtherForms(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"Kotlin and a module": {"com.marrow.bosun.CrewException: no crew\n\tat com.marrow.bosun.RosterKt.assign(Roster.kt:12)\n\tat app//com.marrow.bosun.MainKt.main(Main.kt)\n\tat java.base@17/java.lang.Thread.run(Thread.java:840)",
			"java com.marrow.bosun.CrewException: RosterKt.assign@com/marrow/bosun/Roster.kt:12 MainKt.main@com/marrow/bosun/Main.kt:0 Thread.run@java/lang/Thread.java:840"},
		"Scala, native and unknown": {"java.lang.Error: x\n\tat crew.Roster$.$anonfun$assign$1(Roster.scala:7)\n\tat jdk.internal.reflect.X.invoke0(Native Method)\n\tat a.b.C.d(Unknown Source)\n\tat a.b.C$$Lambda$14/0x0000.run(<generated>)",
			"java java.lang.Error: Roster$.$anonfun$assign$1@crew/Roster.scala:7 X.invoke0@:0 C.d@:0 C$$Lambda.run@:0"},
		"a logger's jar names": {"java.lang.Error: x\n\tat a.B.c(B.java:7) ~[crew-1.2.jar:1.2]\n\tat a.B.d(B.java:8) [crew-1.2.jar!/:?]", "java java.lang.Error: B.c@a/B.java:7 B.d@a/B.java:8"},
		"Python 2 lines without a function": {"Traceback (most recent call last):\n  File \"crew.py\", line 3, in <module>\n    assign()\n  File \"crew.py\", line 1, in assign\nNameError: global name 'x' is not defined",
			"python NameError: assign@crew.py:1 <module>@crew.py:3"},
		"Python, while handling": {"Traceback (most recent call last):\n  File \"a.py\", line 1, in f\n    x\nKeyError: 1\n\nDuring handling of the above exception, another exception occurred:\n\nTraceback (most recent call last):\n  File \"a.py\", line 2, in g\n    y\nValueError",
			"python ValueError: g@a.py:2 | KeyError: f@a.py:1"},
		"Go, a package with a path": {"panic: no crew\n\ngoroutine 1 [running]:\nexample.com/marrow/bosun/v2/crew.(*Roster).Assign[...](0xc0000b4000, {0x1, 0x2})\n\t/home/ci/go/pkg/mod/example.com/marrow/bosun/v2@v2.1.0/crew/roster.go:17 +0x1d\nmain.main()\n\t/src/main.go:5 +0x11\nexit status 2",
			"go panic: crew.(*Roster).Assign[...]@/home/ci/go/pkg/mod/example.com/marrow/bosun/v2@v2.1.0/crew/roster.go:17 main.main@/src/main.go:5"},
		"Ruby 3.4":          {"crew.rb:4:in 'Roster#find': no crew (CrewError)\n\tfrom crew.rb:7:in 'block in Roster.assign'", "ruby CrewError: Roster#find@crew.rb:4 Roster#assign@crew.rb:7"},
		"a PHP trace alone": {"#0 /srv/a.php(6): Crew\\Roster->find('x')\n#1 [internal function]: Crew\\{closure}()\n#2 {main}", "php : Roster->find@:0 Crew->{closure}@/srv/a.php:6 {main}@[internal function]:0"},
		".NET with files": {"Unhandled exception. Marrow.Crew.CrewException: no crew\n ---> System.IO.IOException: gone\n   at Marrow.Crew.Roster.Read(String path) in /src/Roster.cs:line 12\n   --- End of inner exception stack trace ---\n   at Marrow.Crew.Roster.<AssignAsync>d__4.MoveNext() in /src/Roster.cs:line 30\n--- End of stack trace from previous location ---\n   at Program.<>c.<Main>b__0_0() in C:\\src\\Program.cs:line 5\n   at Marrow.Crew.Gate..ctor(Int32 n)",
			"dotnet Marrow.Crew.CrewException: Roster.AssignAsync@/src/Roster.cs:30 <>c.Main@C:\\src\\Program.cs:5 Gate..ctor@:0 | System.IO.IOException: Roster.Read@/src/Roster.cs:12"},
		"an old Rust panic": {"thread 'gate' panicked at 'no crew', src/main.rs:2:5\nstack backtrace:\n   0: crew::assign\n             at ./src/main.rs:2:5\n   1: <F as core::ops::FnOnce<A>>::call_once", "rust panic: crew::assign@./src/main.rs:2 <F as core::ops::FnOnce<A>>::call_once@:0"},
		"a sanitizer": {"==7==ERROR: AddressSanitizer: heap-use-after-free on address 0x60\n    #0 0x5566 in assign /src/crew.c:3:52\n    #1 0x7f00 in __libc_start_main (/lib/libc.so.6+0x23d0a)\n    #2 0x7f01  (/srv/bosun+0x4a)",
			"native AddressSanitizer: assign@/src/crew.c:3 __libc_start_main@:0 @:0"},
		"C++ in a debugger": {"#0  0x01 in Crew::Roster::assign(int) (this=0x0, i=3) at crew.cpp:9\n#1  0x02 in std::function<void ()>::operator()() const () from /lib/libstdc++.so.6\n#2  main () at crew.cpp:12",
			"native : Crew::Roster::assign@crew.cpp:9 std::function<void ()>::operator()@:0 main@crew.cpp:12"},
		"wasm":                                {"RuntimeError: unreachable\n    at tide (wasm://wasm/0022aa:wasm-function[17]:0x4f2)\n    at go (https://quayside.example/a.js:1:2)", "javascript RuntimeError: tide@wasm://wasm/0022aa:wasm-function[17]:0 go@https://quayside.example/a.js:1"},
		"behind a log's prefix":               {"2026-11-23 09:00:01,123 ERROR [bosun] java.lang.Error: x\n2026-11-23 09:00:01,124 ERROR [bosun] \tat a.B.c(B.java:7)\n2026-11-23 09:00:01,125 ERROR [bosun] \tat a.B.d(B.java:8)", "java java.lang.Error: B.c@a/B.java:7 B.d@a/B.java:8"},
		"in a JSON record":                    {`{"level":"error","n":1,"error":{"stack":"TypeError: x\n    at f (a.js:1:2)\n    at g (a.js:3:4)"}}`, "javascript TypeError: f@a.js:1 g@a.js:3"},
		"in a JSON string without its quotes": {`Traceback (most recent call last):\n  File \"crew.py\", line 3, in f\n    x\nValueError: no`, "python ValueError: f@crew.py:3"},
		"an Android trace":                    {"FATAL EXCEPTION: main\nProcess: com.marrow, PID: 7\njava.lang.NullPointerException\n\tat com.marrow.Berth.onClick(Berth.kt:9)\n\tat android.view.View.performClick(View.java:7125)", "java java.lang.NullPointerException: Berth.onClick@com/marrow/Berth.kt:9 View.performClick@android/view/View.java:7125"},
	} {
		t.Run(name, func(t *testing.T) {
			if got := oneLine(Read(c.text, 100)); got != c.want {
				t.Errorf("got  %s\nwant %s", got, c.want)
			}
		})
	}
}

func TestRead_MessagesThatLookLikeFramesAreNone(t *testing.T) {
	for _, text := range []string{
		"we met at noon (by the pier:12)", "at last (we are there)", "look at C:\\boats (3:00)", "File \"a.txt\" was not found on line 3", "order #1 was lost at sea",
		"goroutine leak detected", "called from nowhere: 12", "panicked at the disco", "started at 12:30 (took 5 s)", "from: ines@ferries.example to: crew", "1: 2: 3", "a::b is no type", "died at sea line 7 of the log",
	} {
		if got := Read(text, 100); got.Language != "" || len(got.Exceptions) != 0 || len(got.Rest) != 1 {
			t.Errorf("%q is read as %s", text, oneLine(got))
		}
	}
}

func TestRead_StopsAtTheLimitAndAtLongLines(t *testing.T) {
	text := "java.lang.StackOverflowError\n" + strings.Repeat("\tat a.B.c(B.java:7)\n", 5000) + "\tat " + strings.Repeat("x", 1<<20) + "(B.java:8)\n"
	got := Read(text, 100)
	if len(got.Exceptions) != 1 || len(got.Exceptions[0].Frames) != 100 || got.Exceptions[0].Omitted < 4900 {
		t.Errorf("%d exceptions, %d frames, %d omitted", len(got.Exceptions), len(got.Exceptions[0].Frames), got.Exceptions[0].Omitted)
	}
}

func TestFrames_OfEachLanguage(t *testing.T) {
	for text, want := range map[string]string{
		"Error: x\n    at f (a.js:1:2)":                                           "f",
		"java.lang.Error: x\n\tat a.B.c(B.java:7)":                                "c",
		"Traceback (most recent call last):\n  File \"a.py\", line 1, in f\nE: x": "f",
		"a line 7\n    at g (https://a.example/b.js:1:2)":                         "g",
		"panic: x\n\ngoroutine 1 [running]:\nmain.main()\n\t/src/main.go:5 +0x11": "main",
	} {
		if got := Frames(text, "", "", 10); len(got) != 1 || got[0].Function != want {
			t.Errorf("%q: %+v", text, got)
		}
	}
}

func BenchmarkRead(b *testing.B) {
	for _, name := range []string{"Crew.java", "crew.py.cause", "crew.go.panic", "crew.rs", "crew.js.cause"} {
		raw, err := os.ReadFile("testdata/printed/" + name + ".txt")
		if err != nil {
			b.Fatal(err)
		}
		text := string(raw)
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			for b.Loop() {
				Read(text, 500)
			}
		})
	}
}

func TestKind_OfGoBuildsThatTrimPaths(t *testing.T) {
	for file, c := range map[string]struct {
		module string
		want   event.Kind
	}{
		"runtime/panic.go": {"runtime", event.Runtime}, "runtime/sema.go": {"internal/sync", event.Runtime}, "net/http/server.go": {"net/http", event.Runtime}, "go.opentelemetry.io/otel/sdk@v1.47.0/trace/span.go": {"go.opentelemetry.io/otel/sdk/trace", event.Vendor},
		"marrowsound.example/bosun/crew/crew.go": {"marrowsound.example/bosun/crew", event.Own}, "runtime/iface.go": {"", event.Runtime}, "bosun/main.go": {"main", event.Own}, "log/main.go": {"main", event.Own},
	} {
		if got := Kind(Go, event.RawFrame{File: file, Module: c.module}); got != c.want {
			t.Errorf("%s is %s, want %s", file, got, c.want)
		}
	}
}
