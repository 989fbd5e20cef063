package cli

import (
	"context"
	"log/slog"
	"os"
	"runtime/pprof"
	"time"

	"github.com/urfave/cli/v3"

	"firethorn/internal/app"
	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/intake"
)

func serveCommand() *cli.Command {
	return &cli.Command{
		Name:  "serve",
		Usage: "run the service",
		Description: "Prints `ready URL` on standard output when it is ready. Without --database it runs a private MariaDB in the data directory\n" +
			"(Debian: apt-get install mariadb-server-core). The first start prints a link that opens the console once.",
		Flags: serveFlags(), Action: serve,
	}
}

// serveFlags are the flags of serve.
func serveFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "data", Value: "firethorn-data",
			Usage: "`DIR` for the private database and the admin token", Sources: cli.EnvVars("FIRETHORN_DATA")},
		&cli.StringFlag{Name: "listen", Value: "127.0.0.1:7420", Usage: "the `HOST:PORT` to listen on",
			Sources: cli.EnvVars("FIRETHORN_LISTEN")},
		&cli.StringFlag{Name: "database", Usage: "use this MariaDB: `user:password@tcp(host:port)/name`; visible in the list of processes, so prefer --database-file", Sources: cli.EnvVars("FIRETHORN_DATABASE")},
		&cli.StringFlag{Name: "database-file", Usage: "a `FILE` with the value of --database",
			Sources: cli.EnvVars("FIRETHORN_DATABASE_FILE")},
		&cli.StringFlag{Name: "database-listen",
			Usage:   "a `HOST:PORT` on loopback for clients of the private database (default: its socket only)",
			Sources: cli.EnvVars("FIRETHORN_DATABASE_LISTEN")},
		&cli.Int64Flag{Name: "database-memory",
			Usage: "`MiB` for the private database's buffer pool, 128 or more (default: a quarter of the machine's memory)", Sources: cli.EnvVars("FIRETHORN_DATABASE_MEMORY")},
		&cli.Int64Flag{Name: "database-log",
			Usage: "`MiB` for the private database's redo log, 96 or more (default: a quarter of its buffer pool)", Sources: cli.EnvVars("FIRETHORN_DATABASE_LOG")},
		&cli.StringFlag{Name: "public-url", Usage: "the public `URL`; links are built from it",
			Sources: cli.EnvVars("FIRETHORN_PUBLIC_URL")},
		&cli.IntFlag{Name: "symbol-memory", Value: 256, Usage: "`MiB` of memory for decoded symbols"},
		&cli.StringFlag{Name: "geo-database", Usage: "an MMDB `FILE` with the countries of addresses; none comes with the service"},
		&cli.IntFlag{Name: "search-memory", Value: 512, Usage: "`MiB` of memory for the search index"},
		&cli.StringFlag{Name: "log-level", Value: "info",
			Usage: "debug, info, warn or error; debug says of each call and job how long it took"},
		&cli.BoolFlag{Name: "store-only", Usage: "receive events, and leave processing to other processes on the same database"},
		&cli.IntFlag{Name: "inbox-limit", Value: int(intake.DefaultLimits.Inbox),
			Usage: "refuse senders when this many `EVENTS` wait to be processed"},
		&cli.DurationFlag{Name: "session-silence", Value: 30 * time.Minute,
			Usage: "time after a missed heartbeat until a session counts as cut off"},
		&cli.StringSliceFlag{Name: "fetch-from",
			Usage: "allow fetching repositories from this public `HOST` (https or ssh); without it, none are fetched"},
		&cli.StringSliceFlag{Name: "fetch-from-private",
			Usage: "allow fetching repositories from this `HOST` in a private network or on this machine"},
		&cli.StringFlag{Name: "metrics-listen",
			Usage: "serve /metrics and /debug/pprof without a token on this `HOST:PORT` (default: /metrics needs a token)", Sources: cli.EnvVars("FIRETHORN_METRICS_LISTEN")},
		&cli.BoolFlag{Name: "allow-newer-schema",
			Usage: "start although a newer version of Firethorn made the database's schema"},
		&cli.BoolFlag{Name: "small-database", Hidden: true},
		&cli.DurationFlag{Name: "clock-offset", Hidden: true},
		&cli.StringFlag{Name: "cpu-profile", Hidden: true},
	}
}

// serve runs the service until it is stopped.
func serve(ctx context.Context, c *cli.Command) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(c.String("log-level"))); err != nil {
		return command.Usage("--log-level is debug, info, warn or error, not %q", c.String("log-level"))
	}
	log := slog.New(slog.NewTextHandler(c.Root().ErrWriter, &slog.HandlerOptions{Level: level}))
	if file := c.String("cpu-profile"); file != "" {
		f, err := os.Create(file)
		if err != nil {
			return err
		}
		defer f.Close()
		if err := pprof.StartCPUProfile(f); err != nil {
			return err
		}
		defer pprof.StopCPUProfile()
	}
	limits := intake.DefaultLimits
	if limits.Inbox = int64(c.Int("inbox-limit")); limits.Inbox < 1 {
		return command.Usage("--inbox-limit is a number of events above 0, not %d", limits.Inbox)
	}
	for flag, least := range map[string]int64{"database-memory": 128, "database-log": 96} {
		if n := c.Int64(flag); c.IsSet(flag) && n < least {
			return command.Usage("--%s is a number of MiB, %d or more, not %d", flag, least, n)
		}
	}
	database, err := command.SecretFlag(c, "database", "database-file")
	if err != nil {
		return err
	}
	return app.Run(ctx, app.Config{
		Data: c.String("data"), Listen: c.String("listen"), Database: database,
		DatabaseListen: c.String("database-listen"), PublicURL: c.String("public-url"),
		Terminal: show.IsTerminal(c.Root().Writer), SymbolMem: c.Int("symbol-memory") << 20,
		SearchMem: c.Int("search-memory") << 20, GeoDatabase: c.String("geo-database"), Limits: limits,
		DatabasePool: c.Int64("database-memory"), DatabaseLog: c.Int64("database-log"),
		Log: log, SmallDatabase: c.Bool("small-database"),
		StoreOnly: c.Bool("store-only"), NewerSchema: c.Bool("allow-newer-schema"),
		Metrics: c.String("metrics-listen"), ClockOffset: c.Duration("clock-offset"),
		Silence: c.Duration("session-silence"), FetchFrom: c.StringSlice("fetch-from"),
		FetchFromPrivate: c.StringSlice("fetch-from-private"),
	}, c.Root().Writer)
}
