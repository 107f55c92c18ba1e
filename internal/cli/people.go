package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"wobin/internal/desk/house"
	"wobin/internal/desk/people"
)

// people is for an owner who cannot sign in any more: whoever works on the machine is trusted.
func (s *streams) people() *cobra.Command {
	var data, role string
	c := &cobra.Command{Use: "people", Short: "Who works here, for an owner who cannot sign in"}
	with := func(do func(ctx context.Context, r *people.Room, args []string) error) func(cmd *cobra.Command, args []string) error {
		return func(cmd *cobra.Command, args []string) error {
			if data == "" {
				return errors.New("people needs --data DIR")
			}
			if _, err := os.Stat(data); err != nil { // a folder that is not there is not made
				return err
			}
			return withDesk(data, func(d *house.House) error { return do(cmd.Context(), d.People, args) })
		}
	}
	offered := func(i people.Invited) error {
		_, err := fmt.Fprintf(s.out, "Open this once, up to %s, behind the address of Wobin:\n/join#%s\n", i.Until.Local().Format("2006-01-02 15:04"), i.Code)
		return err
	}
	list := &cobra.Command{Use: "list --data DIR", Short: "List them", Args: cobra.NoArgs, RunE: with(func(ctx context.Context, r *people.Room, _ []string) error {
		all, err := r.OnConsole(ctx)
		if err != nil {
			return err
		}
		w := tabwriter.NewWriter(s.out, 0, 0, 2, ' ', 0)
		for _, p := range all.People {
			what := p.Role
			if p.Owner {
				what += ", owner"
			}
			if p.Suspended {
				what += ", suspended"
			}
			fmt.Fprintf(w, "%s\t%s\t%s\n", p.SignIn, p.Name, what)
		}
		return w.Flush()
	})}
	add := &cobra.Command{Use: "add NAME --role ROLE --data DIR", Short: "Invite somebody: prints a link for one use", Args: cobra.ExactArgs(1),
		RunE: with(func(ctx context.Context, r *people.Room, args []string) error {
			i, err := r.InviteFromConsole(ctx, args[0], role)
			if err != nil {
				return err
			}
			return offered(i)
		})}
	add.Flags().StringVar(&role, "role", "controller", "the `ROLE`: controller, counter, approver or viewer")
	reset := &cobra.Command{Use: "reset SIGN-IN --data DIR", Short: "Offer somebody a new password: prints a link for one use", Args: cobra.ExactArgs(1),
		RunE: with(func(ctx context.Context, r *people.Room, args []string) error {
			i, err := r.ResetFromConsole(ctx, args[0])
			if err != nil {
				return err
			}
			return offered(i)
		})}
	var again bool
	suspend := &cobra.Command{Use: "suspend SIGN-IN --data DIR", Short: "Let somebody in no more, and end all sessions", Args: cobra.ExactArgs(1),
		RunE: with(func(ctx context.Context, r *people.Room, args []string) error {
			if err := r.SuspendFromConsole(ctx, args[0], !again); err != nil {
				return err
			}
			word := "is suspended"
			if again {
				word = "is let in again"
			}
			_, err := fmt.Fprintf(s.out, "%s %s.\n", args[0], word)
			return err
		})}
	suspend.Flags().BoolVar(&again, "again", false, "let in again")
	c.PersistentFlags().StringVar(&data, "data", "", "the data folder `DIR`; the server has to be stopped")
	c.AddCommand(list, add, reset, suspend)
	return c
}
