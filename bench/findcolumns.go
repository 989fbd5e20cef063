package main

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"firethorn/internal/core/columns"
)

// column is an attribute of made-up events: how many values it has (0: one for each
// user), how unevenly they are spread (1: evenly), in which share of events it is, and
// whether issues tend to one of them.
type column struct {
	name          string
	values        int
	skew, present float64
	tends, number bool
}

// forty are what events of an application carry. The names are OpenTelemetry's, and some
// of its own.
const forty = `browser.name 6 2 .97
browser.version 40 3 .97 number
os.name 6 1.6 .98
os.version 30 2.5 .95
device.type 3 1.5 .98
device.model.name 900 3 .6
browser.language 40 4 .97
browser.mobile 2 1.3 .97
url.template 120 2 .9 tends
url.path 30000 2 .9 tends
error.type 40 2 1 tends
http.request.method 5 3 .4
http.response.status_code 20 2 .4 tends number
server.address 12 2 .4
http.route 80 2 .4 tends
service.name 3 2 1
service.version 12 2 .98
deployment.environment.name 3 4 1
telemetry.sdk.name 2 2 1
telemetry.sdk.version 6 3 1
telemetry.sdk.language 2 2 1
thread.name 60 2 .2
code.function.name 900 2 .3 tends
network.connection.type 4 2 .5
geo.country.iso_code 60 3 .9
user_agent.original 3000 3 .95
plan 4 2 .7
berth.zone 8 1.5 .3 tends
ship.name 40 1.5 .3
booking.vehicle 2 1.5 .5
booking.passengers 12 2 .5 number
cart.count 30 3 .4 number
feature.map 2 1 .9
feature.fares 3 2 .9
tide.station 300 2 .2
timetable.season 4 2 .6
page.age_s 4000 1.5 .8 number
request.id 1073741824 1 .3
user.id 0 1 .9
user.email 0 1 .4`

// fortyColumns reads the list.
func fortyColumns() (out []column) {
	for line := range strings.Lines(forty) {
		f := strings.Fields(line)
		c := column{name: f[0], tends: slices.Contains(f, "tends"), number: slices.Contains(f, "number")}
		if _, err := fmt.Sscan(strings.Join(f[1:4], " "), &c.values, &c.skew, &c.present); err != nil {
			panic(err) // the list is right above
		}
		out = append(out, c)
	}
	return out
}

// value is a value of a column, by its number.
func (c column) value(n int) columns.Value {
	if c.number {
		return columns.NumberValue(float64(n))
	}
	return columns.TextValue(c.name[max(0, len(c.name)-6):] + "-" + strconv.Itoa(n))
}
