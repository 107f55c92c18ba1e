package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/core/layout"
	"wobin/internal/desk"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
)

func (s *streams) intake() *cobra.Command {
	var data, layoutFile, rows, quantities string
	var leaveOut, addUp, only, whole, meant bool
	var choices intake.Choices
	c := &cobra.Command{
		Use:   "intake FILE... --data DIR",
		Short: "Take files into a data folder, as the screen does",
		Long: `Takes places, items, recorded stock, movements or counts into a data folder, each file all or nothing.
Saved layouts are recognised as on the screen. Exit 2: a file has problems or leaves a question open; they are
printed and nothing of it is taken in.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			defer boundMemory(360 << 20)()
			base := &layout.Layout{Rows: rows, Quantity: quantities}
			if layoutFile != "" {
				l, err := readLayout(layoutFile)
				if err != nil {
					return err
				}
				base = (&layout.Layout{Rows: rows, Quantity: quantities}).Over(l)
			}
			if addUp {
				base.Doubles = "sum"
			}
			switch {
			case only && whole:
				return errors.New("--only and --whole exclude one another")
			case only:
				base.Extent = "only"
			case whole:
				base.Extent = "whole"
			}
			if err := base.Valid(); err != nil {
				return err
			}
			if layoutFile != "" {
				choices.Base = base
			}
			return withDesk(data, func(d *house.House) error {
				for _, name := range files {
					if err := s.takeIn(cmd.Context(), d, name, choices, base, leaveOut, meant); err != nil {
						return err
					}
				}
				return nil
			})
		},
	}
	f := c.Flags()
	f.StringVar(&data, "data", "data", "the data folder `DIR`")
	f.StringVar(&choices.Zone, "zone", "", "the zone `NAME` of times without an offset")
	f.StringVar(&choices.RecordedAt, "recorded-at", "", "the `TIME` at which the stock was recorded, where the file does not say")
	f.StringVar(&choices.CountedAt, "counted-at", "", "the `TIME` at which it was counted, where neither rows nor head say")
	f.Int64Var(&choices.Count, "count", 0, "the `NUMBER` of the count that counts without row codes belong to")
	f.StringVar(&layoutFile, "layout", "", "read the files by the layout in this `FILE` (JSON)")
	f.BoolVar(&leaveOut, "leave-out", false, "take the good rows in and leave out those with problems")
	f.BoolVar(&addUp, "add-up", false, "sum rows of the same key")
	f.BoolVar(&only, "only", false, "only the lines in the file, where much of what is recorded is not in it")
	f.BoolVar(&whole, "whole", false, "the whole stock of its warehouses, where much of what is recorded is not in it")
	f.BoolVar(&meant, "meant", false, "what a whole file can hardly mean is meant: figures off by a power of ten, older or of another time, an end where programs cut off")
	f.StringVar(&rows, "rows", "", "which rows are taken: both, add or change")
	f.StringVar(&quantities, "quantities", "", "what stock quantities do to what is there: replace, add or take")
	return c
}

// boundMemory lets the program use so much memory before it tidies up, and more only where what it holds needs it: a
// limit below that would have it tidy up all the time. The function that it gives ends this.
func boundMemory(limit int64) (end func()) {
	debug.SetGCPercent(-1)
	debug.SetMemoryLimit(limit)
	done := make(chan struct{})
	go func() {
		held := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		tick := time.NewTicker(100 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
			}
			metrics.Read(held)
			if need := int64(held[0].Value.Uint64()) * 8 / 5; need > limit {
				limit = need
				debug.SetMemoryLimit(limit)
			}
		}
	}()
	return func() { close(done) }
}

// readLayout reads a layout's file.
func readLayout(name string) (*layout.Layout, error) {
	b, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	l, err := layout.Decode(b)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if l.Name == "" {
		l.Name = strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
	}
	return l, nil
}

// looked is a file that is looked at as the screen does, and whether it could be taken in.
type looked struct {
	*intake.Draft
	by    desk.Person
	clean bool
}

// look drops a file, and says what is wrong with it and what it leaves open.
func (s *streams) look(
	ctx context.Context,
	d *house.House,
	name string,
	choices intake.Choices,
	base *layout.Layout,
	leaveOut, meant bool,
) (*looked, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	by := desk.Person{Name: "command line", Role: "controller"}
	draft, err := d.Intake.Upload(ctx, by, filepath.Base(name), f, choices)
	if err != nil {
		return nil, err
	}
	if choices.Base == nil && (base.Doubles != "" || base.Extent != "" || base.Rows != "" || base.Quantity != "") {
		for _, sheet := range draft.Sheets {
			if draft, err = d.Intake.Settle(ctx, by, draft.ID, intake.Answer{Sheet: sheet.Number, Set: base}); err != nil {
				return nil, err
			}
		}
	}
	for again := meant; again; { // a check may be asked behind another
		again = false
		for _, sheet := range draft.Sheets {
			for _, c := range sheet.Checks {
				value, is := c.Confirmation()
				if !is || c.Answer != "" || again {
					continue
				}
				if draft, err = d.Intake.Settle(ctx, by, draft.ID, intake.Answer{Sheet: sheet.Number, Check: c.What, Value: value}); err != nil {
					return nil, err
				}
				again = true
			}
		}
	}
	for _, g := range draft.Problems {
		for _, p := range g.List {
			fmt.Fprintln(s.err, p.Text)
		}
		if more := g.Count - len(g.List); more > 0 {
			fmt.Fprintf(s.err, "and %d more of this kind\n", more)
		}
	}
	for _, sheet := range draft.Sheets {
		for _, q := range sheet.Questions {
			if sheet.Use && !q.Optional {
				fmt.Fprintf(s.err, "%s: %s Say so in a layout (--layout)\n", name, q.Text)
			}
		}
		for _, c := range sheet.Checks {
			if sheet.Use && c.What == "part" && c.Answer == "" {
				fmt.Fprintf(s.err, "%s: say --only for a part, --whole for the whole stock\n", name)
			}
			if _, is := c.Confirmation(); sheet.Use && is && c.Answer == "" {
				fmt.Fprintf(s.err, "%s: say --meant where it is\n", name)
			}
		}
	}
	for _, x := range draft.Assumed { // the screen says it too
		fmt.Fprintf(s.err, "%s: %s\n", name, x)
	}
	if draft.Blocked != "" {
		fmt.Fprintf(s.err, "%s: %s\n", name, draft.Blocked)
	}
	return &looked{draft, by, draft.Blocked == "" && (leaveOut || len(draft.Problems) == 0)}, nil
}

// against looks at a file against what a folder knows, and tells what it would come to. Nothing is taken in.
func (s *streams) against(
	ctx context.Context,
	d *house.House,
	name string,
	choices intake.Choices,
	base *layout.Layout,
) (clean bool, err error) {
	is, err := s.look(ctx, d, name, choices, base, false, false)
	if err != nil {
		return false, err
	}
	e := &is.Effect
	fmt.Fprintf(s.out, "%s: %s: %d new, %d changed, %d unchanged, %d gone, %d refused, %d in doubt\n",
		name, is.Kind, e.Added, e.Changed, e.Unchanged, e.Gone, e.Refused, e.Doubt)
	if len(e.New) > 0 {
		fmt.Fprintf(s.out, "%s: makes %s\n", name, strings.Join(e.New, ", "))
	}
	return is.clean, d.Intake.Discard(ctx, is.by, is.ID)
}

func (s *streams) takeIn(
	ctx context.Context,
	d *house.House,
	name string,
	choices intake.Choices,
	base *layout.Layout,
	leaveOut, meant bool,
) error {
	draft, err := s.look(ctx, d, name, choices, base, leaveOut, meant)
	if err != nil {
		return err
	}
	if !draft.clean {
		return errProblems
	}
	key := make([]byte, 12)
	if _, err := rand.Read(key); err != nil {
		return err
	}
	got, err := d.Intake.TakeIn(ctx, draft.by, draft.ID, hex.EncodeToString(key), draft.Effect.Refused)
	if err != nil {
		return err
	}
	fmt.Fprintf(
		s.out,
		"%s: %s: %d new, %d changed, %d unchanged, %d gone, %d refused\n",
		name,
		got.Kind,
		got.Added,
		got.Changed,
		got.Unchanged,
		got.Gone,
		got.Refused,
	)
	return nil
}
