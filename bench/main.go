// Command bench measures the way in: reference events stored, and processed, a
// second by a real service over HTTP, beside a bare multi-row insert of the
// same bytes into the same MariaDB, in turns within one run. It prints rates,
// the processor time an event takes of the service and of the database, and
// their ratios; and how that grows with senders, issues and stored events.
//
// Reading order: main.go (the scenes), scene.go (what runs), measure.go (rates
// and processor time), then one file for each scene.
package main

import (
	"context"
	_ "embed"
	"flag"
	"fmt"
	"log"
	"os"
	"slices"
	"strings"
	"time"
)

//go:embed reference-event.json
var reference []byte

// settings of a run.
type settings struct {
	program string
	span    time.Duration
	rounds  int
	events  int
	issues  int
	minutes int
	rate    int
	profile string
	only    string
}

// measured is one scene.
type measured struct {
	name, what string
	usual      bool // a part of make bench
	run        func(context.Context, settings) error
}

// scenes are what can be measured, in the order they run.
var scenes = []measured{
	{"way", "the yardsticks: stored, and processed, beside the bare insert", true, way},
	{"senders", "stored, with 1 to 64 senders", true, bySenders},
	{"issues", "processed, with 10 to 10,000 issues", true, byIssues},
	{"merge", "a merge of 200,000 events and 60,000 users while events flow in, and its undo", true, merging},
	{"maps", "source maps decoded, beside JavaScript libraries, and compiled; frames looked up", false, maps},
	{"symbols", "symbols in the service: pushed, looked up cold and hot, and come late", false, inService},
	{"page", "what the JavaScript client costs a page in Chromium: bytes and milliseconds", false, inPage},
	{"grouping", "trials, similar issues, the review and a regrouping with -issues issues", false, grouping},
	{"history", "a repository of 50,000 commits: sent, ordered by, likely changes and blame", false, history},
	{"triage", "the round, decisions and lists with -issues issues and -events events; all issues scored anew",
		false, triage},
	{"find", "searches over -events events with 40 attributes in -issues issues, while 500 a second arrive", false,
		finding},
	{
		"sessions",
		"a million session messages, disordered, repeated, half of the answers lost; 100,000 a minute",
		false,
		sendSessions,
	},
	{"health", "pages of releases with -events sessions of 500 releases", false, healthPages},
	{"alerts", "what 200 alert rules cost with -issues issues, and from an event to its webhook at -rate", false, alerting},
	{"store", "processed and read with an empty store and with -events stored", false, byStore},
	{"flood", "a million events of one error among a hundred others", false, flood},
	{"soak", "the whole way for -minutes, with the memory it takes", false, soak},
}

func main() {
	log.SetFlags(0)
	var s settings
	var names []string
	for _, x := range scenes {
		if x.usual {
			names = append(names, x.name)
		}
	}
	flag.Usage = func() {
		fmt.Fprintln(os.Stderr, "Scenes:")
		for _, x := range scenes {
			fmt.Fprintf(os.Stderr, "  %-8s %s\n", x.name, x.what)
		}
		flag.PrintDefaults()
	}
	which := flag.String("scene", strings.Join(names, ","), "what to measure")
	flag.StringVar(&s.program, "program", "bin/firethorn", "the service")
	flag.DurationVar(&s.span, "span", 8*time.Second, "how long each measurement takes")
	flag.IntVar(&s.rounds, "rounds", 2, "how often all are repeated, in turns")
	flag.IntVar(&s.events, "events", 10_000_000, "of the scenes store, triage, find and health")
	flag.IntVar(&s.issues, "issues", 100_000, "of the scenes grouping, triage, find and alerts")
	flag.IntVar(&s.minutes, "minutes", 10, "of the scenes soak and alerts")
	flag.IntVar(&s.rate, "rate", 1000, "events a second of the scenes soak, triage and alerts")
	flag.StringVar(&s.profile, "profile", "",
		"of the scenes senders, issues, soak and find: write a processor profile of the service to this file")
	flag.StringVar(&s.only, "only", "", "of the scene find: ask only what is called so; look: the console alone; of issues: so many only")
	flag.Parse()
	for _, name := range strings.Split(*which, ",") {
		i := slices.IndexFunc(scenes, func(x measured) bool { return x.name == name })
		if i < 0 {
			log.Fatalf("there is no scene %q; -help lists them", name)
		}
		fmt.Printf("\n== %s: %s\n", name, scenes[i].what)
		if err := scenes[i].run(context.Background(), s); err != nil {
			log.Fatal(err)
		}
	}
}
