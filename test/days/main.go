// Command days runs the tests that could hang on a date or a zone as at days on which dates go wrong, and in zones far from
// UTC: the demo, a whole journey through the screens, and every room that has a clock. The program's clock is moved, not
// stopped, so days end and hours are skipped under it.
package main

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"

	"wobin/internal/clock"
)

// day is a moment and a zone that tests run in. Without a moment it is now.
type day struct{ name, at, zone string }

var days = []day{
	{"29 February", "2028-02-29T10:00:00", "UTC"},
	{"the last minutes of a year", "2026-12-31T23:58:00", "UTC"},
	{"the Monday after the clocks went ahead", "2027-03-29T07:30:00", "Europe/Berlin"},
	{"the Monday after the clocks went back", "2027-11-01T07:30:00", "Europe/Berlin"},
	{"a year ahead", time.Now().UTC().AddDate(1, 0, 0).Format("2006-01-02T15:04:05"), "UTC"},
	{"Kolkata", "", "Asia/Kolkata"},
	{"St John's", "", "America/St_Johns"},
	{"Kiritimati", "", "Pacific/Kiritimati"},
}

// Packages with a clock, and the journeys that go by one.
var (
	packages = []string{"./internal/demo", "./internal/cli", "./internal/web", "./internal/store", "./internal/standin/...", "./test/faults"}
	zoned    = []string{"./internal/desk/house", "./internal/core/..."} // their clocks are their own, the machine's zone is not
	journeys = []string{"TestJourneyFromDemo", "TestCountsOfOtherMaking", "TestCountsThatChange", "TestAdjustments", "TestPlanByRules",
		"TestFirstCount", "TestFloor", "TestLists", "TestPeople"}
)

func main() {
	only := flag.String("only", "", "only days whose name contains this")
	flag.Parse()
	var failed []string
	for _, d := range days {
		if !strings.Contains(d.name, *only) {
			continue
		}
		fmt.Printf("\n== %s (%s %s)\n", d.name, d.at, d.zone)
		if err := d.run(); err != nil {
			failed = append(failed, d.name)
		}
	}
	if len(failed) > 0 {
		fmt.Fprintln(os.Stderr, "days: failed on", strings.Join(failed, ", "))
		os.Exit(1)
	}
}

func (d *day) run() error {
	run := func(args ...string) error {
		// Journeys come first, so that the last minutes of a year end within them.
		ahead := time.Duration(0)
		if d.at != "" {
			zone, err := time.LoadLocation(d.zone)
			if err != nil {
				return err
			}
			at, err := time.ParseInLocation("2006-01-02T15:04:05", d.at, zone)
			if err != nil {
				return err
			}
			ahead = time.Until(at).Round(time.Second)
		}
		c := exec.Command("go", append([]string{"test", "-tags", "sqlite_fts5", "-count=1"}, args...)...)
		c.Env = append(os.Environ(), clock.Variable+"="+ahead.String(), "TZ="+d.zone, "TZ_TEST="+d.zone)
		c.Stdout, c.Stderr = os.Stdout, os.Stderr
		return c.Run()
	}
	err := run("-run", "^("+strings.Join(journeys, "|")+")$", "./test/e2e")
	more := packages
	if d.at == "" {
		more = slices.Concat(packages, zoned)
	}
	if e := run(more...); err == nil {
		err = e
	}
	return err
}
