package people

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Guesses are dear for every password but the demo's, which the sign-in page says; one that takes its place is kept as any other.
func TestWhatAGuessCosts(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	d, ctx := New(desk.New(s, time.Now)), context.Background()
	begins := func(signIn, want string) {
		t.Helper()
		row, err := store.PersonBySignIn(s.Read(ctx), signIn)
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(row.Secret, "argon2id$"+want+"$"), row.Secret)
	}
	code, err := d.OwnerCode(ctx)
	require.NoError(t, err)
	owner, err := d.MakeOwner(ctx, code, "Nell", "nell", "winches and fenders")
	require.NoError(t, err)
	begins("nell", "3$65536$2")
	ida, err := d.AddDemoPerson(ctx, "Ida", "ida", "controller")
	require.NoError(t, err)
	begins("ida", "1$64$1")
	_, err = d.SignIn(ctx, "ida", "demo")
	require.NoError(t, err)
	_, err = d.SignIn(ctx, "ida", "dema")
	require.Error(t, err)
	require.NoError(t, d.ChangePassword(ctx, ida, "demo", "buoys and anchors"))
	begins("ida", "3$65536$2")
	in, err := d.Invite(ctx, owner, "Bo", "counter")
	require.NoError(t, err)
	_, err = d.Join(ctx, in.Code, "bo", "ropes and shackles")
	require.NoError(t, err)
	begins("bo", "3$65536$2")
}
