package house_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/people"
	"wobin/internal/desk/safety"
)

// An owner invites; an invitation is used once and ends by itself; roles change from the next thing that is done; the last owner stays.
func TestPeople(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	code, err := d.People.OwnerCode(ctx)
	require.NoError(t, err)
	for bad, why := range map[string]string{"short one": "too short", "aaaaaaaaaaaaaa": "alike", "passwordpassword": "tried first", "123456123456": "tried first", "nellnellnell": "own name"} {
		_, err := d.People.MakeOwner(ctx, code, "Nell Harbour", "nell", bad)
		require.ErrorContains(t, err, why)
		require.ErrorContains(t, err, people.PasswordRule)
	}
	owner, err := d.People.MakeOwner(ctx, code, "Nell Harbour", "nell", "winches and fenders")
	require.NoError(t, err)
	require.True(t, owner.Owner)
	require.ErrorIs(t, mustFail(d.People.Invite(ctx, desk.Person{ID: 9, Name: "x", Role: "controller"}, "Ada", "counter")), desk.ErrMayNot)
	require.ErrorContains(t, mustFail(d.People.Invite(ctx, owner, "Ada", "king")), "A role is controller")
	ada, err := d.People.Invite(ctx, owner, "Ada Quay", "counter")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(ada.Code), 22, "at least 128 bits")
	w, err := d.People.Invitation(ctx, ada.Code)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ada Quay", "counter", ""}, []string{w.Name, w.Role, w.SignIn})
	_, err = d.People.Join(ctx, ada.Code+"x", "ada", "ropes and shackles")
	require.ErrorContains(t, err, "does not hold")
	_, err = d.People.Join(ctx, ada.Code, "NELL", "ropes and shackles")
	require.ErrorContains(t, err, "is taken")
	p, err := d.People.Join(ctx, ada.Code, " Ada ", "ropes and shackles")
	require.NoError(t, err, "what was refused has not used it")
	assert.Equal(t, desk.Person{ID: p.ID, Name: "Ada Quay", Role: "counter", Word: p.Word}, p)
	_, err = d.People.Join(ctx, ada.Code, "ada2", "ropes and shackles")
	require.ErrorContains(t, err, "was used already")
	late, err := d.People.Invite(ctx, owner, "Bo", "viewer")
	require.NoError(t, err)
	gone, err := d.People.Invite(ctx, owner, "Cy", "viewer")
	require.NoError(t, err)
	require.NoError(t, d.People.Uninvite(ctx, owner, gone.ID))
	_, err = d.People.Join(ctx, gone.Code, "cy", "ropes and shackles")
	require.ErrorContains(t, err, "does not hold")
	now = now.Add(73 * time.Hour)
	_, err = d.People.Join(ctx, late.Code, "bo", "ropes and shackles")
	require.ErrorContains(t, err, "has ended")

	role, yes, no := "approver", true, false
	require.NoError(t, d.People.Change(ctx, owner, p.ID, people.Changed{Role: &role}))
	is, err := d.People.WhoIs(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, "approver", is.Role)
	require.ErrorContains(t, d.People.Change(ctx, owner, p.ID, people.Changed{Role: &role}), "Nothing of Ada Quay was changed")
	require.ErrorContains(t, d.People.Change(ctx, owner, p.ID, people.Changed{Owner: &yes}), "An owner is a controller")
	require.ErrorContains(t, d.People.Change(ctx, owner, owner.ID, people.Changed{Suspended: &yes}), "is the last owner")
	require.ErrorContains(t, d.People.Change(ctx, owner, owner.ID, people.Changed{Owner: &no}), "is the last owner")
	require.NoError(t, d.People.Change(ctx, owner, p.ID, people.Changed{Suspended: &yes}))
	_, err = d.People.SignIn(ctx, "ada", "ropes and shackles")
	require.ErrorContains(t, err, "not let in at the moment")
	_, err = d.People.WhoIs(ctx, p.ID)
	require.ErrorIs(t, err, desk.ErrNotFound)
	require.NoError(t, d.People.SuspendFromConsole(ctx, "ADA", false))
	require.ErrorContains(t, d.People.SuspendFromConsole(ctx, "nell", true), "is the last owner")

	require.ErrorContains(t, d.People.ChangePassword(ctx, p, "wrong", "paint and varnish"), "old password is not right")
	require.ErrorContains(t, d.People.ChangePassword(ctx, p, "ropes and shackles", "short"), "too short")
	require.NoError(t, d.People.ChangePassword(ctx, p, "ropes and shackles", "paint and varnish"))
	_, err = d.People.SignIn(ctx, "ada", "ropes and shackles")
	require.Error(t, err)
	reset, err := d.People.ResetFromConsole(ctx, "ada")
	require.NoError(t, err)
	again, err := d.People.Reset(ctx, owner, p.ID)
	require.NoError(t, err)
	_, err = d.People.Join(ctx, reset.Code, "", "fenders for all of us")
	require.ErrorContains(t, err, "does not hold", "the newer one is the one that holds")
	_, err = d.People.Join(ctx, again.Code, "", "fenders for all of us")
	require.NoError(t, err)
	_, err = d.People.SignIn(ctx, "ada", "fenders for all of us")
	require.NoError(t, err)
	staff, err := d.People.Staff(ctx, owner)
	require.NoError(t, err)
	names := []string{}
	for _, x := range staff.People {
		names = append(names, x.Name)
	}
	assert.Equal(t, "Ada Quay, Nell Harbour", strings.Join(names, ", "))
	require.Len(t, staff.Invited, 1)
	assert.True(t, staff.Invited[0].Ended)
	proved(t, d)
}

func mustFail[T any](_ T, err error) error { return err }

// A day of the record is a day where it is looked at: what was done in its first hour in the east is on it there, and not in UTC.
func TestRecordByDay(t *testing.T) {
	d := at(t)
	now := time.Date(2026, 11, 20, 23, 30, 0, 0, time.UTC)
	d.Now = func() time.Time { return now }
	take(t, d, "places.csv", "warehouse,zone,bin\nW,Back,B-1\n")
	on := func(day, zone string) int {
		page, err := d.Safety.Record(ctx, nell, safety.RecordFilter{Day: day, Zone: zone, What: "intake"})
		require.NoError(t, err)
		return len(page.Entries)
	}
	assert.Equal(t, []int{1, 0, 0, 1}, []int{on("2026-11-20", ""), on("2026-11-21", "UTC"), on("2026-11-20", "Europe/Oslo"), on("2026-11-21", "Europe/Oslo")})
	for _, f := range []safety.RecordFilter{{Day: "2026-13-01"}, {Day: "2026-11-20", Zone: "Nowhere/At"}, {After: "x"}} {
		_, err := d.Safety.Record(ctx, nell, f)
		assert.Error(t, err)
	}
}

// Whoever knew the old password cannot set one of their own behind the back of a new one, in whichever order the two are proved.
func TestAnOldPasswordSetsNoneBesideANewOne(t *testing.T) {
	d := at(t)
	code, err := d.People.OwnerCode(ctx)
	require.NoError(t, err)
	owner, err := d.People.MakeOwner(ctx, code, "Nell", "nell", "winches and fenders")
	require.NoError(t, err)
	const tries = 6
	came := make(chan error, tries)
	for n := range tries {
		go func() {
			came <- d.People.ChangePassword(ctx, owner, "winches and fenders", fmt.Sprintf("buoys and anchors %d", n))
		}()
	}
	changed := 0
	for range tries {
		if err := <-came; err == nil {
			changed++
		} else {
			assert.ErrorContains(t, err, "password")
		}
	}
	assert.Equal(t, 1, changed, "each of them knew the old password, one of them was first")
}

// What somebody offered ends with the right to offer it; what was offered to somebody ends with any other change of the password, and when
// they are suspended. A word tells one password from the next.
func TestInvitationsEndWithTheRightToThem(t *testing.T) {
	d := at(t)
	code, err := d.People.OwnerCode(ctx)
	require.NoError(t, err)
	owner, err := d.People.MakeOwner(ctx, code, "Nell", "nell", "winches and fenders")
	require.NoError(t, err)
	joined := func(by desk.Person, name, signIn, role string) desk.Person {
		in, err := d.People.Invite(ctx, by, name, role)
		require.NoError(t, err)
		p, err := d.People.Join(ctx, in.Code, signIn, "ropes and shackles")
		require.NoError(t, err)
		return p
	}
	yes, no := true, false
	ends := func(code, why string) {
		t.Helper()
		_, err := d.People.Join(ctx, code, "somebody", "chandlery of the quay")
		require.ErrorContains(t, err, "does not hold", why)
	}
	second := joined(owner, owner.Name, "second", "controller") // a namesake
	require.NoError(t, d.People.Change(ctx, owner, second.ID, people.Changed{Owner: &yes}))
	second.Owner = true
	for why, lose := range map[string]people.Changed{"no owner any more": {Owner: &no}, "suspended": {Suspended: &yes}} {
		require.NoError(t, d.People.Change(ctx, owner, second.ID, people.Changed{Suspended: &no, Owner: &yes, End: true}))
		theirs, err := d.People.Invite(ctx, second, "Ivo", "counter")
		require.NoError(t, err)
		others, err := d.People.Invite(ctx, owner, "Joss", "counter")
		require.NoError(t, err)
		require.NoError(t, d.People.Change(ctx, owner, second.ID, lose))
		ends(theirs.Code, why)
		_, err = d.People.Invitation(ctx, others.Code)
		require.NoError(t, err, "another's holds on")
	}
	ada := joined(owner, "Ada", "ada", "counter")
	reset, err := d.People.Reset(ctx, owner, ada.ID)
	require.NoError(t, err)
	require.NoError(t, d.People.ChangePassword(ctx, ada, "ropes and shackles", "buoys and anchors"))
	ends(reset.Code, "the password was changed otherwise")
	now, err := d.People.WhoIs(ctx, ada.ID)
	require.NoError(t, err)
	assert.NotEqual(t, ada.Word, now.Word)
	reset, err = d.People.Reset(ctx, owner, ada.ID)
	require.NoError(t, err)
	require.NoError(t, d.People.Change(ctx, owner, ada.ID, people.Changed{Suspended: &yes}))
	ends(reset.Code, "suspended")
}
