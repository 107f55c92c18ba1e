package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/clock"
	"wobin/internal/standin"
	"wobin/internal/standin/trial"
)

func (s *streams) standin() *cobra.Command {
	c := &cobra.Command{Use: "standin", Short: "A simulated record system, to try with and to test against"}
	o := standin.Serving{Now: clock.Now, Say: s.out, Look: time.Second}
	serve := &cobra.Command{
		Use:   "serve --dir DIR",
		Short: "Keep a simulated record system going over a folder",
		Long: `Keeps stock, sells and receives at random, exports stock and movements into DIR/out, and takes adjustment files in from DIR/in in a
strict format of its own, which stands as layouts in DIR/layouts. What it made of a file stands beside it in DIR/in/done.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.Dir == "" {
				return errors.New("standin serve needs --dir DIR")
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			fmt.Fprintf(s.out, "The record system is at %s: it exports into out, and takes in what is put into in.\n", o.Dir)
			return standin.Serve(ctx, o)
		},
	}
	serve.Flags().StringVar(&o.Dir, "dir", "", "the folder `DIR`; made where it is missing")
	serve.Flags().Uint64Var(&o.Seed, "seed", 1, "the seed `N` of what it has and of what happens")
	serve.Flags().IntVar(&o.Bins, "bins", 60, "how many bins `N` it has")
	serve.Flags().Float64Var(&o.Pace, "pace", 60, "how much `N` happens an hour")
	serve.Flags().
		DurationVar(&o.Every, "every", 15*time.Minute, "the `TIME` between two exports; it exports, too, after it has taken something in")
	c.AddCommand(serve, s.trial())
	return c
}

func (s *streams) trial() *cobra.Command {
	var o struct {
		seeds, first, kill int
		one, dir           string
	}
	c := &cobra.Command{
		Use:   "trial --seeds N",
		Short: "Play counts from the record system's export to the proof, and tell how many held",
		Long: `Plays N counts from the export of the stand-in to the proof that everything landed there: counting goes on while it sells,
with faults, recounts and late bookings, by differences, balances, in and out, and what was counted. A run holds where every line that
was sent has landed and the records are equal to what is there, to the last unit. Every K-th run is killed at random moments and goes on.
Exit 0: all held. Exit 3: not all did.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if o.one != "" {
				seed, err := strconv.ParseUint(o.one, 10, 64)
				if err != nil {
					return err
				}
				res, err := trial.Run(cmd.Context(), o.dir, seed)
				if err != nil {
					return err
				}
				return json.NewEncoder(s.out).Encode(res)
			}
			held := 0
			for i := range o.seeds {
				seed := uint64(o.first + i)
				kill := o.kill > 0 && i%o.kill == o.kill-1
				res, err := s.play(cmd.Context(), seed, kill)
				word := "held"
				switch {
				case err != nil:
					word = "broke off: " + err.Error()
				case !res.Holds():
					word = "did not hold"
				default:
					held++
				}
				fmt.Fprintf(
					s.out,
					"seed %d, %s: %d lines, %d wrong counts, %d counted again, %d opened by late bookings, %d sent, %d landed, %d off, %d kills: %s\n",
					seed,
					res.Mode,
					res.Lines,
					res.Faults,
					res.Recounted,
					res.Late,
					res.Sent,
					res.Landed,
					res.Off,
					res.Kills,
					word,
				)
			}
			fmt.Fprintf(s.out, "%d of %d held\n", held, o.seeds)
			if held < o.seeds {
				return errUnproved
			}
			return nil
		},
	}
	c.Flags().IntVar(&o.seeds, "seeds", 20, "how many `N` are played")
	c.Flags().IntVar(&o.first, "first", 1, "the first seed `N`")
	c.Flags().IntVar(&o.kill, "kill", 3, "every `K`-th run is killed (kill -9) at random moments; 0: none")
	c.Flags().StringVar(&o.one, "one", "", "play this seed alone, in --dir, or go on with it")
	c.Flags().StringVar(&o.dir, "dir", "", "the folder of --one")
	_ = c.Flags().MarkHidden("one")
	_ = c.Flags().MarkHidden("dir")
	return c
}

// play plays a seed in a folder of its own; with kill in a process that is killed a few times and goes on.
func (s *streams) play(ctx context.Context, seed uint64, kill bool) (res trial.Result, err error) {
	dir, err := os.MkdirTemp("", "wobin-trial-*")
	if err != nil {
		return res, err
	}
	defer os.RemoveAll(dir)
	if !kill {
		return trial.Run(ctx, dir, seed)
	}
	program, err := os.Executable()
	if err != nil {
		return res, err
	}
	dice := rand.New(rand.NewPCG(seed, 9))
	res.Seed = seed
	kills := 0
	for {
		child := exec.CommandContext(ctx, program, "standin", "trial", "--one", strconv.FormatUint(seed, 10), "--dir", dir)
		child.Stderr = s.err
		out, err := child.StdoutPipe()
		if err != nil {
			return res, err
		}
		if err := child.Start(); err != nil {
			return res, err
		}
		if kills < 4 {
			late := time.AfterFunc(time.Duration(30+dice.IntN(500))*time.Millisecond, func() { _ = child.Process.Kill() })
			defer late.Stop()
		}
		derr := json.NewDecoder(out).Decode(&res)
		werr := child.Wait()
		if werr == nil && derr == nil {
			res.Kills = kills
			return res, nil
		}
		var exit *exec.ExitError
		if errors.As(werr, &exit) && !exit.Exited() { // it was killed
			kills++
			continue
		}
		return res, fmt.Errorf("%s: %w", filepath.Base(program), errors.Join(werr, derr))
	}
}
