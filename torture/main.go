// Command torture puts three services on one database under load, kills them and
// the database at random moments, freezes them and loses their network, while
// issues are merged and merges undone, events are sent
// again on purpose, and the clock goes on by days. Afterwards every
// acknowledged event must be processed exactly once or counted under one drop, and
// every counter must equal its rows.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"time"
)

func main() {
	log.SetFlags(log.Ltime)
	opt := Options{Out: os.Stdout}
	flag.IntVar(&opt.Kills, "kills", 60, "how often something is killed")
	flag.IntVar(&opt.Days, "days", 21, "how many days the clock goes on, 5 hours a kill at most")
	flag.BoolVar(&opt.Freeze, "freeze", false, "kill nothing: freeze one of three processes under load and watch its shards")
	flag.IntVar(&opt.Senders, "senders", 4, "how many send side by side")
	flag.Int64Var(&opt.Seed, "seed", time.Now().UnixNano(), "of the random choices; printed, to be tried again")
	flag.StringVar(&opt.Program, "program", "bin/firethorn", "the service")
	flag.Parse()
	report, err := Run(context.Background(), opt)
	fmt.Print(report)
	if err != nil {
		log.Fatal(err)
	}
}
