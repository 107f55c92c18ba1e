// Package cli is the command line. It turns words into calls of the computation (for files alone) or of the
// desk (for a data folder), and their answers into text and exit codes. It computes nothing itself.
package cli

import (
	"errors"
	"fmt"
	"io"

	"wobin/internal/clock"

	"github.com/spf13/cobra"
)

// Exit codes of every command.
const (
	exitDone     = 0
	exitFailed   = 1
	exitProblems = 2
	exitUnproved = 3 // of prove: something that was sent has not landed
)

// errProblems says that the input has problems, which are printed already.
var errProblems = errors.New("the input has problems")

// streams are what a command reads and writes.
type streams struct {
	in       io.Reader
	out, err io.Writer
}

// Run carries out one command line and gives its exit code.
func Run(args []string, in io.Reader, out, errOut io.Writer) int {
	s := &streams{in, out, errOut}
	if _, err := clock.Offset(); err != nil {
		fmt.Fprintln(errOut, "wobin:", err)
		return exitProblems
	}
	root := &cobra.Command{
		Use:           "wobin",
		Short:         "The inventory controller's desk: counts prepared, taken in, held against the records and adjusted",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errOut)
	root.CompletionOptions.DisableDefaultCmd = true
	root.AddCommand(
		s.reconcile(),
		s.prove(),
		s.standin(),
		s.people(),
		s.sheets(),
		s.serve(),
		s.demo(),
		s.intake(),
		s.check(),
		s.fields(),
		s.audit(),
		s.backup(),
		s.restore(),
		s.openapi(),
		s.schema(),
	)
	err := root.Execute()
	switch {
	case err == nil:
		return exitDone
	case errors.Is(err, errProblems):
		return exitProblems
	case errors.Is(err, errUnproved):
		return exitUnproved
	}
	fmt.Fprintln(errOut, "wobin:", err)
	return exitFailed
}
