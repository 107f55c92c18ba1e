package house_test

import (
	"flag"
	"strconv"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const casesFlag = "rapid.checks"

// casesGiven is whether the command line says how many cases a property draws.
var casesGiven = sync.OnceValue(func() (given bool) {
	flag.Visit(func(f *flag.Flag) { given = given || f.Name == casesFlag })
	return given
})

// property holds a property over as many random cases as are worth their time in make test, where each case is a folder with a
// database of its own; make test-long draws more. The tests that call it do not run in parallel.
func property(t *testing.T, cases int, holds func(*rapid.T)) {
	t.Helper()
	if !casesGiven() {
		before := flag.Lookup(casesFlag).Value.String()
		require.NoError(t, flag.Set(casesFlag, strconv.Itoa(cases)))
		defer func() { require.NoError(t, flag.Set(casesFlag, before)) }()
	}
	rapid.Check(t, holds)
}
