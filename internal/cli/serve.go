package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
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

	"wobin/internal/demo"
	"wobin/internal/desk"
	"wobin/internal/store"
	"wobin/internal/web"
	front "wobin/web"
)

func (s *streams) serve() *cobra.Command {
	var data, addr, cert, key string
	c := &cobra.Command{
		Use:   "serve --data DIR",
		Short: "Serve the screens from a data folder",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return s.listen(cmd.Context(), data, addr, cert, key)
		},
	}
	c.Flags().StringVar(&data, "data", "data", "the data folder `DIR`; made where it is missing")
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080", "the `ADDRESS` to listen on")
	c.Flags().StringVar(&cert, "tls-cert", "", "certificate `FILE`, to serve under TLS")
	c.Flags().StringVar(&key, "tls-key", "", "key `FILE` of the certificate")
	return c
}

func (s *streams) demo() *cobra.Command {
	var data, addr, files string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Make the demo's data once and serve it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if _, err := os.Stat(filepath.Join(data, "wobin.db")); errors.Is(err, fs.ErrNotExist) {
				fmt.Fprintln(s.out, "Making the demo's data…")
				if err := buildDemo(cmd.Context(), data); err != nil {
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
			return s.listen(cmd.Context(), data, addr, "", "")
		},
	}
	c.Flags().StringVar(&data, "data", "demo-data", "the demo's data folder `DIR`")
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8080", "the `ADDRESS` to listen on")
	c.Flags().StringVar(&files, "files", "", "only write the files to try with into this folder `DIR`")
	return c
}

// buildDemo makes the demo beside its final place, so that one broken off half way is never served.
func buildDemo(ctx context.Context, data string) error {
	part := data + ".part"
	if err := os.RemoveAll(part); err != nil {
		return err
	}
	if err := demo.Build(ctx, part); err != nil {
		return fmt.Errorf("the demo could not be made: %w", err)
	}
	return os.Rename(part, data)
}

func (s *streams) listen(ctx context.Context, data, addr, cert, key string) error {
	st, err := store.Open(data)
	if err != nil {
		return err
	}
	defer st.Close()
	d := desk.New(st, time.Now)
	owner, err := d.OwnerCode(ctx)
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
	if owner != "" {
		fmt.Fprintf(s.out, "Nobody is signed up yet. The one-time code for the owner: %s\n", owner)
	}
	server := &http.Server{Handler: web.New(d, st, web.Options{Secure: cert != "", Front: front.Front()}), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
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

func (s *streams) audit() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "audit", Short: "Look into the record of who did what"}
	verify := &cobra.Command{
		Use:   "verify --data DIR",
		Short: "Prove that the record was not changed",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withDesk(data, func(d *desk.Desk) error {
				n, broken, err := d.VerifyChain(cmd.Context())
				if err != nil {
					return err
				}
				if broken != 0 {
					fmt.Fprintf(s.err, "the record breaks at its entry %d; the %d before it hold\n", broken, n)
					return errProblems
				}
				fmt.Fprintf(s.out, "%d entries, all hold\n", n)
				return nil
			})
		},
	}
	verify.Flags().StringVar(&data, "data", "data", "the data folder `DIR`")
	c.AddCommand(verify)
	return c
}

// withDesk opens a data folder for one piece of work.
func withDesk(data string, do func(d *desk.Desk) error) error {
	st, err := store.Open(data)
	if err != nil {
		return err
	}
	defer st.Close()
	return do(desk.New(st, time.Now))
}

func (s *streams) backup() *cobra.Command {
	var data string
	c := &cobra.Command{
		Use:   "backup --data DIR",
		Short: "Write a whole copy of the database into the folder's backups",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			st, err := store.Open(data)
			if err != nil {
				return err
			}
			defer st.Close()
			name, err := st.Backup(cmd.Context(), "by-hand")
			if err == nil {
				fmt.Fprintln(s.out, filepath.Join(data, "backups", name))
			}
			return err
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
			before, err := store.Restore(cmd.Context(), data, args[0])
			if err == nil {
				fmt.Fprintf(s.out, "Restored. What was there before is %s\n", filepath.Join(data, "backups", before))
			}
			return err
		},
	}
	c.Flags().StringVar(&data, "data", "data", "the data folder `DIR`")
	return c
}

func (s *streams) intake() *cobra.Command {
	var data, zone, recordedAt string
	var leaveOut, addUp, only bool
	c := &cobra.Command{
		Use:   "intake FILE... --data DIR",
		Short: "Take files into a data folder, as the screen does",
		Long: `Takes items, recorded stock, movements or counts into a data folder, each file all or nothing.
Exit 2: a file has problems; they are printed and nothing of it is taken in.`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			debug.SetGCPercent(-1)
			debug.SetMemoryLimit(360 << 20) // a large file is taken in within a bounded memory
			return withDesk(data, func(d *desk.Desk) error {
				for _, name := range files {
					if err := s.takeIn(cmd.Context(), d, name, desk.Choices{Zone: zone, RecordedAt: recordedAt, AddUp: addUp, Only: only}, leaveOut); err != nil {
						return err
					}
				}
				return nil
			})
		},
	}
	f := c.Flags()
	f.StringVar(&data, "data", "data", "the data folder `DIR`")
	f.StringVar(&zone, "zone", "", "the zone `NAME` of times without an offset")
	f.StringVar(&recordedAt, "recorded-at", "", "the `TIME` at which the stock was recorded, where the file does not say")
	f.BoolVar(&leaveOut, "leave-out", false, "take the good rows in and leave out those with problems")
	f.BoolVar(&addUp, "add-up", false, "sum rows of the same key")
	f.BoolVar(&only, "only", false, "only the lines in the file; else it is the whole stock of its warehouses")
	return c
}

func (s *streams) takeIn(ctx context.Context, d *desk.Desk, name string, choices desk.Choices, leaveOut bool) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	by := desk.Person{Name: "command line", Role: "controller"}
	draft, err := d.Upload(ctx, by, filepath.Base(name), f, choices)
	if err != nil {
		return err
	}
	for _, g := range draft.Problems {
		for _, p := range g.List {
			fmt.Fprintln(s.err, p.Text)
		}
		if more := g.Count - len(g.List); more > 0 {
			fmt.Fprintf(s.err, "and %d more of this kind\n", more)
		}
	}
	if draft.Blocked != "" {
		fmt.Fprintf(s.err, "%s: %s\n", name, draft.Blocked)
		return errProblems
	}
	if len(draft.Problems) > 0 && !leaveOut {
		return errProblems
	}
	key := make([]byte, 12)
	if _, err := rand.Read(key); err != nil {
		return err
	}
	got, err := d.TakeIn(ctx, by, draft.ID, hex.EncodeToString(key), draft.Effect.Refused)
	if err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: %s: %d new, %d changed, %d unchanged, %d gone, %d refused\n", name, got.Kind, got.Added, got.Changed, got.Unchanged, got.Gone, got.Refused)
	return nil
}
