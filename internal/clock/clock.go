// Package clock is the clock of the program: the machine's, moved by an offset that tests set from outside. It runs on, so
// what must wait for another moment or day can be tried at any of them. Durations are measured with package time.
package clock

import (
	"fmt"
	"os"
	"time"
)

// Variable is the environment variable of the offset: a time.Duration such as 720h or -36h30m. Empty stands for none.
const Variable = "WOBIN_CLOCK_OFFSET"

var offset, offsetErr = parse(os.Getenv(Variable))

func parse(text string) (time.Duration, error) {
	if text == "" {
		return 0, nil
	}
	d, err := time.ParseDuration(text)
	if err != nil {
		return 0, fmt.Errorf("%s=%q is no offset such as 720h or -36h30m", Variable, text)
	}
	return d, nil
}

// Offset is how far the clock is ahead of the machine's. It errs where the environment names no duration; then Now must not
// be relied upon.
func Offset() (time.Duration, error) { return offset, offsetErr }

// Now is the time by the program's clock.
func Now() time.Time { return time.Now().Add(offset) }
