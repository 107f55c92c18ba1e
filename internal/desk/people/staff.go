package people

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"slices"
	"strings"
	"time"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// PersonView is somebody who works here.
type PersonView struct {
	ID        int64  `json:"id"`
	Name      string `json:"name"`
	SignIn    string `json:"sign_in"`
	Role      string `json:"role" enum:"controller,counter,approver,viewer"`
	Owner     bool   `json:"owner"`
	Suspended bool   `json:"suspended"`
	Sessions  int    `json:"sessions" doc:"where they are signed in"`
}

// InvitationView is an invitation that was not used yet.
type InvitationView struct {
	ID    int64     `json:"id"`
	Name  string    `json:"name"`
	Role  string    `json:"role"`
	Again bool      `json:"again" doc:"for a new password of somebody who is there"`
	By    string    `json:"by"`
	Until time.Time `json:"until"`
	Ended bool      `json:"ended" doc:"its time is over"`
}

// Staff is all who work here, and who is invited.
type Staff struct {
	People  []PersonView     `json:"people"`
	Invited []InvitationView `json:"invited"`
	Rule    string           `json:"rule" doc:"what passwords have to be"`
}

// Staff lists all who work here.
func (d *Room) Staff(ctx context.Context, p desk.Person) (out Staff, err error) {
	if err := desk.Allow(p, desk.Staff); err != nil {
		return out, err
	}
	return d.OnConsole(ctx)
}

// OnConsole gives what the command line does: it is on the machine, so it is trusted.
func (d *Room) OnConsole(ctx context.Context) (out Staff, err error) {
	tx := d.Store.Read(ctx)
	out = Staff{People: []PersonView{}, Invited: []InvitationView{}, Rule: PasswordRule}
	rows, err := store.Staff(tx)
	if err != nil {
		return out, err
	}
	now := d.Now()
	for _, r := range rows {
		v := PersonView{ID: r.ID, Name: r.Name, SignIn: r.SignIn, Role: r.Role, Owner: r.Owner, Suspended: r.Suspended}
		if v.Sessions, err = store.SessionsOf(tx, r.ID, now.UnixNano()); err != nil {
			return out, err
		}
		out.People = append(out.People, v)
	}
	open, err := store.OpenInvitations(tx, 100)
	if err != nil {
		return out, err
	}
	for _, i := range open {
		out.Invited = append(
			out.Invited,
			InvitationView{i.ID, i.Name, i.Role, i.PersonID != 0, i.ByPerson, desk.Instant(i.Until), i.Until <= now.UnixNano()},
		)
	}
	return out, nil
}

// Invited is an invitation that was made. The code is shown once and kept nowhere.
type Invited struct {
	ID    int64     `json:"id"`
	Code  string    `json:"code" doc:"of one use; it stands behind /join#"`
	Until time.Time `json:"until"`
}

// invitedFor is how long an invitation holds.
const invitedFor = 72 * time.Hour

// Invite makes an invitation for somebody new.
func (d *Room) Invite(ctx context.Context, p desk.Person, name, role string) (Invited, error) {
	if err := desk.Allow(p, desk.Staff); err != nil {
		return Invited{}, err
	}
	return d.invite(ctx, p, name, role, 0)
}

func (d *Room) invite(ctx context.Context, p desk.Person, name, role string, forPerson int64) (Invited, error) {
	return desk.DoAs(ctx, d.Desk, p, string(desk.Staff), desk.Key{}, func(w *desk.Work) (out Invited, err error) {
		name = strings.TrimSpace(name)
		switch {
		case name == "" || len(name) > 120:
			return out, desk.RefuseAs(desk.Invalid, "name", "Say whom the invitation is for.")
		case !slices.Contains(Roles, role):
			return out, desk.RefuseAs(desk.Invalid, "role", "A role is controller, counter, approver or viewer.")
		}
		secret := make([]byte, 24)
		if _, err := rand.Read(secret); err != nil {
			return out, err
		}
		out.Code = base64.RawURLEncoding.EncodeToString(secret)
		row := store.Invitation{Hash: desk.ShaOf([]byte(out.Code)), Name: name, Role: role, PersonID: forPerson, ByPerson: p.Name,
			ByPersonID: p.ID, At: w.Now, Until: w.Now + int64(invitedFor)}
		if forPerson != 0 { // an earlier one for a new password holds no more
			if _, err := store.EndInvitationsFor(w.Tx, forPerson, w.Now); err != nil {
				return out, err
			}
		}
		if err := store.AddInvitation(w.Tx, &row); err != nil {
			return out, err
		}
		out.ID, out.Until = row.ID, desk.Instant(row.Until)
		what := "invited"
		if forPerson != 0 {
			what = "new password offered"
		}
		return out, w.Say(what, map[string]any{"name": name, "role": role})
	})
}

// Uninvite takes an invitation back.
func (d *Room) Uninvite(ctx context.Context, p desk.Person, id int64) error {
	if err := desk.Allow(p, desk.Staff); err != nil {
		return err
	}
	_, err := desk.DoAs(ctx, d.Desk, p, string(desk.Staff), desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		n, err := store.EndInvitation(w.Tx, id, w.Now)
		if err == nil && n == 0 {
			err = desk.Missing("The invitation")
		}
		if err != nil {
			return none, err
		}
		return none, w.Say("invitation taken back", map[string]any{"invitation": id})
	})
	return err
}

// Welcoming is what somebody who was invited sees.
type Welcoming struct {
	Name   string    `json:"name"`
	Role   string    `json:"role"`
	SignIn string    `json:"sign_in" doc:"of somebody who takes a new password"`
	Until  time.Time `json:"until"`
	Rule   string    `json:"rule"`
}

// Invitation tells what an invitation is for, to whoever has its code.
func (d *Room) Invitation(ctx context.Context, code string) (v Welcoming, err error) {
	row, is, err := d.invitation(ctx, code, nil)
	if err != nil {
		return v, err
	}
	return Welcoming{Name: row.Name, Role: row.Role, Until: desk.Instant(row.Until), Rule: PasswordRule, SignIn: is.SignIn}, nil
}

// invitation finds one that holds by its code, within some work or none, and whoever is to take a new password by it.
func (d *Room) invitation(ctx context.Context, code string, w *desk.Work) (row store.Invitation, is store.Person, err error) {
	tx := d.Store.Read(ctx)
	if w != nil {
		tx = w.Tx
	}
	if row, err = store.InvitationBy(tx, desk.ShaOf([]byte(strings.TrimSpace(code)))); err != nil {
		return row, is, err
	}
	switch {
	case row.ID == 0 || row.GoneAt != 0:
		return row, is, desk.Refuse("This invitation does not hold. Ask for a new one.")
	case row.UsedAt != 0:
		return row, is, desk.Refuse("This invitation was used already. Sign in instead, or ask for a new one.")
	case row.Until <= d.Now().UnixNano():
		return row, is, desk.Refuse("This invitation has ended. Ask for a new one.")
	}
	if row.PersonID != 0 {
		is, err = store.PersonOf(tx, row.PersonID)
	}
	return row, is, err
}

// Join signs somebody up who was invited, or gives a new password to somebody who is there; the invitation is used by it.
func (d *Room) Join(ctx context.Context, code, signIn, password string) (p desk.Person, err error) {
	row, _, err := d.invitation(ctx, code, nil)
	if err != nil {
		return p, err
	}
	signIn = strings.ToLower(strings.TrimSpace(signIn))
	if err := goodPassword(password, row.Name, signIn); err != nil {
		return p, err
	}
	secret, err := hashSecret(password, dear)
	if err != nil {
		return p, err
	}
	return desk.DoAs(ctx, d.Desk, desk.Person{Name: row.Name}, string(desk.Staff), desk.Key{}, func(w *desk.Work) (desk.Person, error) {
		row, is, err := d.invitation(ctx, code, w) // it may have been used meanwhile
		if err != nil {
			return p, err
		}
		if err := store.UseInvitation(w.Tx, row.ID, w.Now); err != nil {
			return p, err
		}
		if row.PersonID != 0 {
			if _, err := store.ReplaceSecret(w.Tx, &is, secret); err != nil {
				return p, err
			}
			if _, err := store.EndSessions(w.Tx, is.ID); err != nil {
				return p, err
			}
			is.Secret = secret
			if is.Suspended {
				return p, desk.Refuse("You are not let in at the moment. Ask whoever owns this Wobin.")
			}
			return person(&is), w.Say("new password taken", map[string]any{"name": is.Name})
		}
		if signIn == "" || len(signIn) > 60 || strings.ContainsAny(signIn, " \t\n") {
			return p, desk.RefuseAs(desk.Invalid, "sign_in", "Choose a sign-in name without spaces.")
		}
		made := store.Person{Name: row.Name, SignIn: signIn, Role: row.Role, Secret: secret}
		if err := add(w, &made); err != nil {
			return p, err
		}
		said := map[string]any{"name": made.Name, "sign_in": signIn, "role": made.Role, "invited_by": row.ByPerson}
		return person(&made), w.Say("signed up", said)
	})
}

// Changed is what an owner changes of somebody; what is left out stays.
type Changed struct {
	Role      *string `json:"role,omitempty" enum:"controller,counter,approver,viewer"`
	Owner     *bool   `json:"owner,omitempty"`
	Suspended *bool   `json:"suspended,omitempty"`
	End       bool    `json:"end,omitempty" doc:"end all sessions"`
}

// Change changes somebody. One owner at least stays, who is not suspended. It holds from the next thing that they do.
func (d *Room) Change(ctx context.Context, p desk.Person, id int64, x Changed) error {
	if err := desk.Allow(p, desk.Staff); err != nil {
		return err
	}
	return d.change(ctx, p, id, x)
}

func (d *Room) change(ctx context.Context, p desk.Person, id int64, x Changed) error {
	_, err := desk.DoAs(ctx, d.Desk, p, string(desk.Staff), desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		row, err := store.PersonOf(w.Tx, id)
		if err != nil {
			return none, err
		}
		if row.ID == 0 {
			return none, desk.Missing("The person")
		}
		said := map[string]any{"name": row.Name}
		offers := row.Owner && !row.Suspended
		if x.Role != nil && *x.Role != row.Role {
			if !slices.Contains(Roles, *x.Role) {
				return none, desk.RefuseAs(desk.Invalid, "role", "A role is controller, counter, approver or viewer.")
			}
			said["was"], said["role"], row.Role = row.Role, *x.Role, *x.Role
		}
		if x.Owner != nil && *x.Owner != row.Owner {
			said["owner"], row.Owner = *x.Owner, *x.Owner
		}
		if x.Suspended != nil && *x.Suspended != row.Suspended {
			said["suspended"], row.Suspended = *x.Suspended, *x.Suspended
		}
		if row.Owner && row.Role != "controller" {
			return none, desk.RefuseAs(desk.Invalid, "role", "An owner is a controller. Let %s be no owner first.", row.Name)
		}
		if err := store.SavePerson(w.Tx, &row); err != nil {
			return none, err
		}
		owners, err := store.Owners(w.Tx)
		if err != nil {
			return none, err
		}
		if owners == 0 {
			return none, desk.Refuse("%s is the last owner. Let somebody else be one first.", row.Name)
		}
		var ended int64
		if offers && (row.Suspended || !row.Owner) { // what somebody offered ends with the right to do so
			if ended, err = store.EndInvitationsBy(w.Tx, row.ID, w.Now); err != nil {
				return none, err
			}
		}
		if row.Suspended {
			n, err := store.EndInvitationsFor(w.Tx, row.ID, w.Now)
			if err != nil {
				return none, err
			}
			ended += n
		}
		if ended > 0 {
			said["invitations_ended"] = ended
		}
		if row.Suspended || x.End {
			if said["sessions_ended"], err = store.EndSessions(w.Tx, row.ID); err != nil {
				return none, err
			}
		}
		if len(said) == 1 {
			return none, desk.Refuse("Nothing of %s was changed.", row.Name)
		}
		w.Tell(desk.Event{What: "people"})
		return none, w.Say("person changed", said)
	})
	return err
}

// Reset makes an invitation by which somebody takes a new password.
func (d *Room) Reset(ctx context.Context, p desk.Person, id int64) (Invited, error) {
	if err := desk.Allow(p, desk.Staff); err != nil {
		return Invited{}, err
	}
	return d.reset(ctx, p, id)
}

func (d *Room) reset(ctx context.Context, p desk.Person, id int64) (Invited, error) {
	row, err := store.PersonOf(d.Store.Read(ctx), id)
	if err != nil {
		return Invited{}, err
	}
	if row.ID == 0 {
		return Invited{}, desk.Missing("The person")
	}
	return d.invite(ctx, p, row.Name, row.Role, row.ID)
}

// ChangePassword gives somebody who knows the old password a new one.
func (d *Room) ChangePassword(ctx context.Context, p desk.Person, old, password string) error {
	row, err := store.PersonOf(d.Store.Read(ctx), p.ID)
	if err != nil {
		return err
	}
	if row.ID == 0 || !secretFits(row.Secret, old) {
		return desk.RefuseAs(desk.Invalid, "old", "The old password is not right.")
	}
	if err := goodPassword(password, row.Name, row.SignIn); err != nil {
		return err
	}
	secret, err := hashSecret(password, dear)
	if err != nil {
		return err
	}
	_, err = desk.DoAs(ctx, d.Desk, p, string(desk.Look), desk.Key{}, func(w *desk.Work) (none struct{}, err error) {
		done, err := store.ReplaceSecret(w.Tx, &row, secret)
		if err != nil {
			return none, err
		}
		if !done { // whoever knew the old one has lost the right to it
			return none, desk.RefuseAs(desk.Changed, "old", "The password was changed meanwhile. Sign in with the new one.")
		}
		if _, err := store.EndInvitationsFor(w.Tx, row.ID, w.Now); err != nil { // a new one that was offered is not wanted any more
			return none, err
		}
		return none, w.Say("password changed", map[string]any{"name": row.Name})
	})
	return err
}

// console is who works at the command line of the machine.
var console = desk.Person{Name: "console", Role: "controller", Owner: true}

// InviteFromConsole, ResetFromConsole and SuspendFromConsole are Invite, Reset and Change for an owner who cannot sign in.
func (d *Room) InviteFromConsole(ctx context.Context, name, role string) (Invited, error) {
	return d.invite(ctx, console, name, role, 0)
}

// ResetFromConsole makes an invitation by which somebody takes a new password.
func (d *Room) ResetFromConsole(ctx context.Context, signIn string) (Invited, error) {
	id, err := d.bySignIn(ctx, signIn)
	if err != nil {
		return Invited{}, err
	}
	return d.reset(ctx, console, id)
}

// SuspendFromConsole suspends somebody, or lets them in again.
func (d *Room) SuspendFromConsole(ctx context.Context, signIn string, suspended bool) error {
	id, err := d.bySignIn(ctx, signIn)
	if err != nil {
		return err
	}
	return d.change(ctx, console, id, Changed{Suspended: &suspended})
}

func (d *Room) bySignIn(ctx context.Context, signIn string) (id int64, err error) {
	row, err := store.PersonBySignIn(d.Store.Read(ctx), strings.ToLower(strings.TrimSpace(signIn)))
	if err == nil && row.ID == 0 {
		err = desk.Missing(signIn)
	}
	return row.ID, err
}
