package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/core/form"
	"wobin/internal/core/layout"
	"wobin/internal/core/quantity"
	"wobin/internal/core/reconcile"
	"wobin/internal/core/tabular"
)

// errUnproved says that not all that was sent has landed, which is told already.
var errUnproved = errors.New("not all that was sent has landed")

// zoneOf gives the zone that --zone names; the machine's where it is empty.
func zoneOf(name string) (*time.Location, error) {
	if name == "" {
		return time.Local, nil
	}
	z, err := time.LoadLocation(name)
	if err != nil || name == "Local" {
		return nil, fmt.Errorf("--zone: %q is not the name of a zone such as Europe/Berlin", name)
	}
	return z, nil
}

// timeOf reads the time that a flag gives; nil where it gives none.
func timeOf(flag, text string, zone *time.Location) (*int64, error) {
	if text == "" {
		return nil, nil
	}
	at, err := form.ParseTime(text, zone)
	if err != nil {
		return nil, fmt.Errorf("%s: %q %w", flag, text, err)
	}
	return &at, nil
}

func (s *streams) prove() *cobra.Command {
	var o struct {
		sent, before, after, movements, zone, beforeAt, afterAt, out string
		layouts                                                      []string
		json                                                         bool
	}
	c := &cobra.Command{
		Use:   "prove --sent FILE --before FILE --after FILE [--movements FILE]",
		Short: "Tell whether adjustments that were sent have landed, on files alone",
		Long: `Holds the adjustments that were sent (adjustments.csv, differences) against what the records said before and say after, less
what moved in between, and writes proof.csv. Movements count after the time of --before and up to that of --after.
Exit 0: every line that was sent has landed. Exit 3: not every one has. Exit 2: the input has problems. Exit 1: anything else.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if o.sent == "" || o.before == "" || o.after == "" {
				return errors.New("prove needs --sent FILE, --before FILE and --after FILE")
			}
			opt := reconcile.ProveOptions{Most: most}
			if opt.Zone, err = zoneOf(o.zone); err != nil {
				return err
			}
			if opt.BeforeAt, err = timeOf("--before-at", o.beforeAt, opt.Zone); err != nil {
				return err
			}
			if opt.AfterAt, err = timeOf("--after-at", o.afterAt, opt.Zone); err != nil {
				return err
			}
			files := []string{o.before, o.after, o.sent}
			if o.movements != "" {
				files = append(files, o.movements)
			}
			if err := oneStdin(files); err != nil {
				return err
			}
			in := reconcile.ProveInput{Layouts: map[*tabular.File]*layout.Layout{}}
			opened, done, err := s.opened(files, o.layouts, in.Layouts)
			defer done()
			if err != nil {
				return err
			}
			in.Before, in.After, in.Sent = opened[0], opened[1], opened[2]
			if o.movements != "" {
				in.Movements = opened[3]
			}
			proof, found, err := reconcile.Prove(cmd.Context(), in, opt)
			if err != nil {
				return err
			}
			if found.Any() {
				return s.report(found)
			}
			s.notes(proof.Notes)
			if o.out != "" {
				if err := writeAll(o.out, []output{{"proof.csv", proof.Write}}); err != nil {
					return err
				}
			}
			if err := s.proved(proof, o.json); err != nil {
				return err
			}
			if !proof.Whole() {
				return errUnproved
			}
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&o.sent, "sent", "", "the adjustments `FILE` that was sent")
	f.StringVar(&o.before, "before", "", "the recorded stock `FILE` of before")
	f.StringVar(&o.after, "after", "", "the recorded stock `FILE` of after")
	f.StringVar(&o.movements, "movements", "", "the movements `FILE` of the time in between, without the adjustments themselves")
	f.StringVar(&o.beforeAt, "before-at", "", "the `TIME` of --before, in place of recorded_at")
	f.StringVar(&o.afterAt, "after-at", "", "the `TIME` of --after, in place of recorded_at")
	f.StringVar(&o.zone, "zone", "", "the zone `NAME` of times without an offset, such as Europe/Berlin (default: the machine's)")
	f.StringVar(&o.out, "out", "", "the folder `DIR` for proof.csv")
	f.StringArrayVar(&o.layouts, "layout", nil, "read a file by a layout: `FILE=LAYOUT`; may be given several times")
	f.BoolVar(&o.json, "json", false, "print the figures as one JSON object")
	return c
}

// proved prints the figures of a proof.
func (s *streams) proved(p *reconcile.Proof, asJSON bool) error {
	share, some := quantity.Ratio(p.Landed, p.Sent)
	if asJSON {
		figures := struct {
			Sent        int             `json:"sent_lines"`
			Landed      int             `json:"landed"`
			Missing     int             `json:"missing"`
			Different   int             `json:"different"`
			Twice       int             `json:"twice"`
			Unexplained int             `json:"unexplained"`
			Share       *quantity.Money `json:"landed_pct"`
		}{p.Sent, p.Landed, p.Missing, p.Different, p.Twice, p.Unexplained, nil}
		if some {
			figures.Share = &share
		}
		b, err := json.Marshal(figures)
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(s.out, "%s\n", b)
		return err
	}
	w := tabwriter.NewWriter(s.out, 0, 0, 2, ' ', tabwriter.AlignRight)
	for _, l := range []struct {
		name string
		n    int
	}{{"sent lines", p.Sent}, {"landed", p.Landed}, {"missing", p.Missing}, {"different", p.Different}, {"landed twice", p.Twice},
		{"changed without being sent", p.Unexplained}} {
		fmt.Fprintf(w, "%s\t%d\t\n", l.name, l.n)
	}
	if some {
		fmt.Fprintf(w, "proved\t%s %%\t\n", share)
	}
	return w.Flush()
}
