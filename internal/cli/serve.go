package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"wobin/internal/clock"
	"wobin/internal/demo"
	"wobin/internal/desk"
	"wobin/internal/desk/house"
	"wobin/internal/desk/intake"
	"wobin/internal/standin"
	"wobin/internal/store"
	"wobin/internal/web"
	front "wobin/web"
)

func (s *streams) serve() *cobra.Command {
	var data, addr, cert, key, folder string
	var hosts []string
	c := &cobra.Command{
		Use:   "serve --data DIR",
		Short: "Serve the screens from a data folder",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return s.listen(cmd.Context(), data, addr, cert, key, folder, hosts)
		},
	}
	c.Flags().StringVar(&data, "data", "data", "the data folder `DIR`; made where it is missing")
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080", "the `ADDRESS` to listen on")
	c.Flags().StringVar(&cert, "tls-cert", "", "certificate `FILE`, to serve under TLS")
	c.Flags().StringVar(&key, "tls-key", "", "key `FILE` of the certificate")
	c.Flags().
		StringArrayVar(&hosts, "host", nil, "a `NAME` that it goes by in the network, beside localhost, this machine's own name and all addresses")
	c.Flags().StringVar(&folder, "out-folder", "", "write the files of postings into this folder `DIR`, too, each whole or not at all")
	return c
}

func (s *streams) demo() *cobra.Command {
	var data, addr, files, today string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Make the demo's data once and serve it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if _, err := os.Stat(filepath.Join(data, "wobin.db")); errors.Is(err, fs.ErrNotExist) {
				fmt.Fprintln(s.out, "Making the demo's data…")
				day := clock.Now().UTC()
				if today != "" {
					var err error
					if day, err = time.Parse(time.DateOnly, today); err != nil {
						return fmt.Errorf("--today %q is no day; write it like 2026-11-24", today)
					}
				}
				if err := buildDemo(cmd.Context(), data, day); err != nil {
					return err
				}
			}
			if files != "" {
				return os.CopyFS(files, os.DirFS(filepath.Join(data, "try")))
			}
			fmt.Fprintln(s.out, "People of the demo, each with the password demo:")
			for _, p := range demo.People {
				fmt.Fprintf(s.out, "  %-6s %s, %s\n", p[1], p[0], p[2])
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			records := standin.Serving{Dir: filepath.Join(data, intake.RecordSystem), Seed: 7, Bins: 24, Pace: 6, Every: 2 * time.Hour,
				Look: time.Second, Now: clock.Now, Say: s.out}
			ended := make(chan error, 1)
			go func() {
				err := standin.Serve(ctx, records)
				stop()
				ended <- err
			}()
			err := s.listen(ctx, data, addr, "", "", filepath.Join(records.Dir, "in"), nil)
			stop()
			return errors.Join(err, <-ended)
		},
	}
	c.Flags().StringVar(&data, "data", "demo-data", "the demo's data folder `DIR`")
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080", "the `ADDRESS` to listen on")
	c.Flags().StringVar(&today, "today", "", "lay its dates around this `DAY` instead of the one on which it is made")
	c.Flags().StringVar(&files, "files", "", "only write the files to try with into this folder `DIR`")
	return c
}

// buildDemo makes the demo beside its final place, so that one broken off half way is never served.
func buildDemo(ctx context.Context, data string, today time.Time) error {
	part := data + ".part"
	if err := os.RemoveAll(part); err != nil {
		return err
	}
	if err := demo.Build(ctx, part, today); err != nil {
		return fmt.Errorf("the demo could not be made: %w", err)
	}
	return os.Rename(part, data)
}

func (s *streams) listen(ctx context.Context, data, addr, cert, key, folder string, hosts []string) error {
	st, err := store.Open(data)
	if err != nil {
		return err
	}
	defer st.Close()
	d, err := house.New(st, clock.Now)
	if err != nil {
		return err
	}
	defer d.Close()
	d.Adjustments.Folder = folder
	owner, err := d.People.OwnerCode(ctx)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return fmt.Errorf("%w. Take another address with --addr, or another port with PORT=", err)
	}
	scheme := "http"
	if cert != "" {
		scheme = "https"
	}
	fmt.Fprintf(s.out, "Wobin is at %s://%s\n", scheme, l.Addr())
	if ahead, _ := clock.Offset(); ahead != 0 {
		fmt.Fprintf(s.err, "wobin: the clock is %s ahead of the machine's, as %s says\n", ahead, clock.Variable)
	}
	if owner != "" {
		fmt.Fprintf(s.out, "Nobody is signed up yet. The one-time code for the owner: %s\n", owner)
	}
	debug.SetMemoryLimit(400 << 20) // a soft limit: a file of a million rows that is looked at leaves room for all else
	server := &http.Server{
		Handler:           web.New(d, st, web.Options{Secure: cert != "", Front: front.Front(), Hosts: hosts}),
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
	}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	failed := make(chan error, 1)
	go func() {
		if cert != "" {
			failed <- server.ServeTLS(l, cert, key)
		} else {
			failed <- server.Serve(l)
		}
	}()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	// Event streams never end by themselves, so the wait for the rest is short.
	soon, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	if err := server.Shutdown(soon); err != nil {
		server.Close()
	}
	return nil
}

func (s *streams) openapi() *cobra.Command {
	return &cobra.Command{
		Use:   "openapi",
		Short: "Print the OpenAPI description of the server's operations",
		Args:  cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			b, err := web.Description()
			if err == nil {
				_, err = s.out.Write(b)
			}
			return err
		},
	}
}

func (s *streams) schema() *cobra.Command {
	var out bool
	c := &cobra.Command{
		Use:   "layout-schema",
		Short: "Print the JSON Schema of layouts",
		Args:  cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			schema := web.LayoutSchema
			if out {
				schema = web.OutLayoutSchema
			}
			b, err := schema()
			if err == nil {
				_, err = s.out.Write(b)
			}
			return err
		},
	}
	c.Flags().BoolVar(&out, "adjustments", false, "that of layouts of files out, as --adjustment-layout takes them")
	return c
}

func (s *streams) audit() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "audit", Short: "Look into the record of who did what"}
	verify := &cobra.Command{
		Use:   "verify --data DIR",
		Short: "Prove that the record, the kept files and the backups were not changed",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withFolder(data, func(f readable) error {
				p, err := f.Verify(cmd.Context(), nil)
				if err != nil {
					return err
				}
				for _, wrong := range p.Wrong {
					fmt.Fprintln(s.err, wrong)
				}
				if len(p.Wrong) > 0 {
					return errProblems
				}
				fmt.Fprintf(s.out, "%d entries, all hold\n%d kept files and %d backups, all are what they were\n", p.Links, p.Files, p.Backups)
				if p.Unsigned > 0 {
					fmt.Fprintf(s.out, "%d older backups have no hash beside them, so nothing is said of them\n", p.Unsigned)
				}
				return nil
			})
		},
	}
	verify.Flags().StringVar(&data, "data", "data", "the data folder `DIR`")
	c.AddCommand(verify)
	return c
}

// withDesk opens a data folder for one piece of work.
func withDesk(data string, do func(d *house.House) error) error {
	st, err := store.Open(data)
	if err != nil {
		return err
	}
	defer st.Close()
	d, err := house.New(st, clock.Now)
	if err != nil {
		return err
	}
	defer d.Close()
	return do(d)
}

// readable is a data folder that is read: by itself, or beside the program that has it open.
type readable interface {
	Backup(ctx context.Context, why string) (string, error)
	Verify(ctx context.Context, tell func(done, of int64)) (store.Whole, error)
}

// withFolder opens a folder for reading; where another program has it open, beside that one. A folder that is not there is
// not made.
func withFolder(data string, do func(f readable) error) error {
	if _, err := os.Stat(data); err != nil {
		return err
	}
	st, err := store.Open(data)
	if errors.Is(err, store.ErrLocked) {
		b, err := store.OpenBeside(data)
		if err != nil {
			return err
		}
		defer b.Close()
		return do(b)
	}
	if err != nil {
		return err
	}
	defer st.Close()
	return do(st)
}

func (s *streams) backup() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use:   "backup --data DIR",
		Short: "Write a whole copy of the database into the folder's backups",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withFolder(data, func(f readable) error {
				name, err := f.Backup(cmd.Context(), "by-hand")
				if err == nil {
					fmt.Fprintln(s.out, filepath.Join(data, "backups", name))
				}
				return err
			})
		},
	}
	c.Flags().StringVar(&data, "data", "data", "the data folder `DIR`")
	return c
}

func (s *streams) restore() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use:   "restore BACKUP --data DIR",
		Short: "Put a backup in the place of a folder's database, after a backup of what is there",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			word := func(tx *store.Tx, r store.Restored) error {
				return desk.RecordRestore(tx, clock.Now(), desk.Person{Name: "command line"}, filepath.Base(args[0]), r)
			}
			r, err := store.Restore(cmd.Context(), data, args[0], store.Restoring{Words: desk.OfPeople, Word: word})
			switch {
			case err != nil:
				return err
			case r.Before != "":
				fmt.Fprintf(s.out, "Restored. What was there before is %s\n", filepath.Join(data, "backups", r.Before))
			case r.Aside != "":
				fmt.Fprintf(s.out, "Restored. The damaged files that were there are in %s\n", r.Aside)
			default:
				fmt.Fprintln(s.out, "Restored. Nothing was there before")
			}
			if r.Kept {
				fmt.Fprintln(s.out, "People, their roles and passwords, and when somebody has to agree are as they were: a restore takes nothing back of that.")
			} else {
				fmt.Fprintln(s.out, "People, their roles and passwords, and when somebody has to agree are those of the backup.")
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "data", "the data folder `DIR`")
	return c
}
