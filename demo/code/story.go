package code

func made(path string) edit { return edit{path: path} }

func changed(path, before, after string) edit { return edit{path: path, before: before, after: after} }

func next(path string) edit { return edit{path: path, next: true} }

func wrote(path, line string) edit { return edit{path: "docs/" + path, after: line + "\n"} }

// steps are the history, the oldest first.
var steps = []step{
	{by: maren, days: 190, subject: "Timetable of a day", edits: []edit{made("quayside/src/timetable/sailings.ts"), made("quayside/src/timetable/tides.ts"), made("quayside/src/timetable/draw.ts"), made("quayside/src/main.ts")}},
	{by: oke, days: 186, subject: "Berth map", edits: []edit{made("quayside/src/util/assert.ts"), made("quayside/src/berths/map.ts"), made("quayside/src/berths/zoom.ts")}},
	{by: sunniva, days: 181, subject: "Departures", edits: []edit{made("quayside/src/net/http.ts"), made("quayside/src/net/departures.ts"), made("quayside/src/net/positions.ts")}},
	{by: oke, days: 176, subject: "Search", edits: []edit{made("quayside/src/search/filter.ts"), made("quayside/src/search/harbours.ts")}},
	{by: maren, days: 171, subject: "Fares", edits: []edit{made("quayside/src/timetable/fares.ts")}},
	{by: oke, days: 160, subject: "Gate scanners", edits: []edit{made("gangway/src/server.ts"), made("gangway/src/tickets.ts"), made("gangway/src/gates.ts"), made("gangway/src/manifest.ts"), made("gangway/src/weather.ts"), made("gangway/src/berths.ts")}},
	{by: sunniva, days: 150, subject: "Say how to run it", edits: []edit{wrote("running.md", "npm run build, then open index.html")}},
	{by: maren, days: 140, subject: "Who owns what", edits: []edit{wrote("CODEOWNERS", "/quayside/src/timetable/ @maren.holt\n/quayside/src/berths/ @oke.farrow\n/quayside/src/net/ @sunniva.bray\n/quayside/src/search/ @oke.farrow\n/gangway/ @ferries/gate-crew\n/gangway/src/weather.ts @sunniva.bray\n/gangway/src/manifest.ts @maren.holt")}},
	{by: oke, days: 122, subject: "Berths are looked up by draft", project: "quayside", bug: "berthOf", edits: []edit{changed("quayside/src/berths/map.ts", "assert(true, ", "assert(free.length > 0, ")}},
	{by: sunniva, days: 117, subject: "Answers that are no success are errors", project: "quayside", bug: "loadDepartures", edits: []edit{changed("quayside/src/net/http.ts", "  if (!res.ok) return [] as T\n", "  if (!res.ok) throw new HttpError(res.status, url)\n")}},
	{by: maren, days: 104, subject: "Look tides up without a copy", project: "quayside", bug: "tideAt", edits: []edit{changed("quayside/src/timetable/tides.ts", "tables[Math.min(day, tables.length) - 1]!", "tables[day - 1]!")}},
	{by: sunniva, days: 96, subject: "Notes on releases", edits: []edit{wrote("releases.md", "a release is announced by its build")}},
	{by: oke, days: 88, subject: "Zoom in finer steps", project: "quayside", bug: "stepZoom", edits: []edit{changed("quayside/src/berths/zoom.ts", "state.zoom *= 2\n", "state.zoom *= 1.5\n")}},
	{by: maren, days: 83, subject: "A sailing that is not found is an error", project: "quayside", bug: "findSailing", edits: []edit{changed("quayside/src/timetable/sailings.ts", "  return sailingsOf(1)[0]!\n", "  throw new Error('not found')\n")}},
	{by: sunniva, days: 71, subject: "Positions with four digits", project: "quayside", bug: "showPosition", edits: []edit{changed("quayside/src/net/positions.ts", "${p.lat}`", "${p.lat.toFixed(4)}`")}},
	{by: oke, days: 66, subject: "A harbour that is not known is an error", edits: []edit{changed("quayside/src/search/harbours.ts", "  return 'B'\n", "  throw new Error('no such harbour')\n")}},
	{by: oke, days: 61, subject: "Greet passengers by name", project: "gangway", bug: "greet", edits: []edit{changed("gangway/src/tickets.ts", "`Welcome aboard`", "`Welcome aboard, ${t.passenger.name}`")}},
	{by: sunniva, days: 55, subject: "Read codes as they are printed", project: "gangway", bug: "readTicket", edits: []edit{changed("gangway/src/tickets.ts", "    return JSON.parse(code) as Ticket\n", "    return JSON.parse(Buffer.from(code, 'base64url').toString('latin1')) as Ticket\n")}},
	{by: maren, days: 49, subject: "Manifests by sailing", project: "gangway", bug: "manifestOf", edits: []edit{changed("gangway/src/manifest.ts", "m?.passengers ?? []", "m!.passengers")}},
	{by: maren, days: 48, subject: "Boarding rates of long sailings", project: "gangway", bug: "boardingRate", edits: []edit{changed("gangway/src/manifest.ts", "BigInt(boarded) / (minutes || 1n)", "BigInt(boarded) / minutes")}},
	{by: oke, days: 41, subject: "Gates answer for themselves", project: "gangway", bug: "GateError", edits: []edit{changed("gangway/src/gates.ts", "  return name\n", "  throw new GateError(`gate ${name} does not answer`)\n")}},
	{by: oke, days: 40, subject: "Crew plans", edits: []edit{made("bosun/go.mod"), made("bosun/go.sum"), made("bosun/main.go"), made("bosun/report.go"), made("bosun/crew/crew.go")}},
	{by: sunniva, days: 39, subject: "Roster desk", edits: []edit{made("bosun/desk/desk.go")}},
	{by: oke, days: 38.5, subject: "Who owns the crew plans", edits: []edit{wrote("CODEOWNERS", "/bosun/ @oke.farrow\n/bosun/desk/ @sunniva.bray")}},
	{by: sunniva, days: 38, subject: "Wind from the islands", project: "gangway", bug: "weatherAt", edits: []edit{changed("gangway/src/weather.ts", "fetch(`http://wind.example/", "fetch(`http://127.0.0.1:9/")}},
	{by: oke, days: 35, subject: "A ship without a berth is an error", project: "gangway", bug: "findBerth", edits: []edit{changed("gangway/src/berths.ts", "  if (!b) return ''\n", "  if (!b) throw new Error('not found')\n")}},
	{by: sunniva, days: 30, subject: "How passengers reach us", edits: []edit{wrote("help.md", "harbour offices, by telephone")}},
	{release: "quayside 4.0.3"},

	{by: oke, days: 21.6, subject: "A harbour that is not known lies in zone C", body: "Old Quay has no berths of its own; its ships lie in zone C.\n\nFirethorn-Fixes: {ISSUE}", edits: []edit{changed("quayside/src/search/harbours.ts", "  throw new Error('no such harbour')\n", "  return 'C'\n")}},
	{by: sunniva, days: 21.4, subject: "Opening hours of the offices", edits: []edit{wrote("help.md", "Saltby: 6 to 20")}},
	{by: maren, days: 21.2, subject: "Prices in euro", edits: []edit{changed("quayside/src/timetable/fares.ts", "'EUR ' + amount", "'€ ' + amount")}},
	{release: "quayside 4.1.0"},

	{by: maren, days: 19, subject: "Families pay for two adults", project: "quayside", bug: "format", edits: []edit{changed("quayside/src/timetable/fares.ts", "family: 2, bicycle: 2 }", "family: 2 - 3, bicycle: 2 }")}},
	{by: sunniva, days: 18, subject: "Wording of the help", edits: []edit{wrote("help.md", "Tern Island: by radio")}},
	{by: oke, days: 17.5, subject: "Zone D is closed for repairs", project: "quayside", bug: "placeBerths", edits: []edit{changed("quayside/src/berths/map.ts", "taken: false }],\n  D: [{ id: 'D1', depth: 5, taken: false }],\n}", "taken: false }],\n}")}},
	{by: sunniva, days: 17, subject: "Say what each part does", body: "Comments alone.", edits: []edit{
		changed("quayside/src/berths/map.ts", "/** Draws berths. */", "/** Draws the berths of a zone. */"), changed("quayside/src/search/filter.ts", "/** Reads the filter. */", "/** Reads the filter that was saved on the last visit. */"),
		changed("quayside/src/search/harbours.ts", "/** A harbour's zone. */", "/** The zone of berths a harbour has. */"), changed("quayside/src/timetable/fares.ts", "/** The price. */", "/** The price of all items as people read it. */"),
		changed("quayside/src/net/positions.ts", "/** Follows the ships. */", "/** Asks where the ships are, again and again, and hands on what fails. */"), changed("quayside/src/timetable/sailings.ts", "const harbours = [ 'Carrow Slip'", "const harbours = ['Carrow Slip'"),
	}},
	{by: oke, days: 16.5, subject: "Filters are saved as one text", project: "quayside", bug: "restoreFilter", edits: []edit{changed("quayside/src/search/filter.ts", "  const raw = parse(saved)\n", "  const raw = JSON.parse(saved) as Filter\n")}},
	{by: sunniva, days: 15.5, subject: "Ask for the zone by name alone", body: "The search knows all harbours by now.", project: "quayside", bug: "zoneOf", edits: []edit{changed("quayside/src/search/harbours.ts", "  return 'C'\n", "  throw new Error('not found')\n")}},
	{by: maren, days: 14.6, subject: "Notes on 4.2", edits: []edit{wrote("releases.md", "4.2: berth map, saved filters")}},
	{release: "quayside 4.2.0"},
	{release: "gangway 2.8.0"},
	{release: "bosun 1.6.0"},

	{by: maren, days: 9, subject: "The year begins anew behind its last day", edits: []edit{next("quayside/src/timetable/tides.ts")}},
	{by: oke, days: 7, subject: "Zone A, and how many berths are free", edits: []edit{next("quayside/src/berths/map.ts")}},
	{by: sunniva, days: 6, subject: "Winter hours", edits: []edit{wrote("help.md", "from November on: 7 to 18")}},
	{by: maren, days: 5, subject: "Tariffs with seats", project: "quayside", bug: "seatsAndPrice", edits: []edit{next("quayside/src/timetable/fares.ts")}},
	{by: oke, days: 4, subject: "A sailing without a manifest has nobody aboard", edits: []edit{next("gangway/src/manifest.ts")}},
	{release: "quayside 4.2.1"},
	{release: "gangway 2.9.0"},
}
