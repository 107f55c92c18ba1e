// Package people knows who works here: the first start, adding people, signing in.
package people

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"encoding/base64"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"

	"wobin/internal/desk"
	"wobin/internal/store"
)

// Room is the use cases of people.
type Room struct {
	*desk.Desk
	ownerKey string // the one-time code of a first start
}

// Roles are those that people have.
var Roles = []string{"controller", "counter", "approver", "viewer"}

// New makes the room.
func New(d *desk.Desk) *Room { return &Room{Desk: d} }

// cost is what a guess of a password costs, as the parameters of argon2id.
type cost struct {
	time, memory uint32 // memory in KiB
	lanes        uint8
}

var (
	dear = cost{3, 64 << 10, 2} // RFC 9106, second recommended option, two lanes for two cores
	said = cost{1, 64, 1}       // of the demo's people, whose password stands on the page where they sign in
)

func hashSecret(password string, c cost) (string, error) {
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	h := argon2.IDKey([]byte(password), salt, c.time, c.memory, c.lanes, 32)
	e := base64.RawStdEncoding
	return fmt.Sprintf("argon2id$%d$%d$%d$%s$%s", c.time, c.memory, c.lanes, e.EncodeToString(salt), e.EncodeToString(h)), nil
}

func secretFits(secret, password string) bool {
	var t, m, l uint32
	parts := strings.Split(secret, "$")
	if len(parts) != 6 {
		return false
	}
	if _, err := fmt.Sscan(parts[1]+" "+parts[2]+" "+parts[3], &t, &m, &l); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, t, m, uint8(l), uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// Welcome is what the sign-in page needs to know before anybody is signed in.
type Welcome struct {
	FirstStart bool     `json:"first_start" doc:"nobody is there yet: the owner signs up with the one-time code from the console"`
	Demo       []string `json:"demo" doc:"sign-in names of the demo's people, whose password is demo"`
	Rule       string   `json:"rule" doc:"what a password has to be"`
}

// Greet tells how one gets in.
func (d *Room) Greet(ctx context.Context) (w Welcome, err error) {
	people, err := store.People(d.Store.Read(ctx))
	w.FirstStart, w.Demo, w.Rule = len(people) == 0, []string{}, PasswordRule
	for _, p := range people {
		if p.Demo {
			w.Demo = append(w.Demo, p.SignIn)
		}
	}
	return w, err
}

// OwnerCode gives the one-time code with which the first person signs up; empty where somebody is there already.
func (d *Room) OwnerCode(ctx context.Context) (string, error) {
	w, err := d.Greet(ctx)
	if err != nil || !w.FirstStart {
		return "", err
	}
	b := make([]byte, 10)
	if _, err := rand.Read(b); err != nil {
		return "", err
	}
	d.ownerKey = base32.StdEncoding.EncodeToString(b)
	return d.ownerKey, nil
}

// MakeOwner makes the first person, who is a controller, against the one-time code.
func (d *Room) MakeOwner(ctx context.Context, key, name, signIn, password string) (p desk.Person, err error) {
	key = strings.ToUpper(strings.TrimSpace(key))
	if d.ownerKey == "" || subtle.ConstantTimeCompare([]byte(key), []byte(d.ownerKey)) != 1 {
		return p, desk.Refuse("The code is not the one that the console printed. Copy it from there.")
	}
	p, err = d.addPerson(ctx, desk.Person{Name: name}, name, signIn, password, "controller", false, true)
	if err == nil {
		d.ownerKey = ""
	}
	return p, err
}

// AddDemoPerson adds a person of the demo, which the sign-in page says.
func (d *Room) AddDemoPerson(ctx context.Context, name, signIn, role string) (desk.Person, error) {
	return d.addPerson(ctx, desk.Person{Name: "demo"}, name, signIn, "demo", role, true, false)
}

func (d *Room) addPerson(
	ctx context.Context,
	by desk.Person,
	name, signIn, password, role string,
	demo, first bool,
) (p desk.Person, err error) {
	name, signIn = strings.TrimSpace(name), strings.ToLower(strings.TrimSpace(signIn))
	if name == "" || signIn == "" {
		return p, desk.Refuse("Give a name and a sign-in name.")
	}
	if !demo {
		if err := goodPassword(password, name, signIn); err != nil {
			return p, err
		}
	}
	c := dear
	if demo {
		c = said
	}
	secret, err := hashSecret(password, c)
	if err != nil {
		return p, err
	}
	return desk.DoAs(ctx, d.Desk, by, string(desk.Staff), desk.Key{}, func(w *desk.Work) (desk.Person, error) {
		row := store.Person{Name: name, SignIn: signIn, Role: role, Secret: secret, Demo: demo}
		all, err := store.People(w.Tx)
		if err != nil {
			return p, err
		}
		row.Owner = len(all) == 0 && role == "controller"
		if first && len(all) > 0 {
			return p, desk.Refuse("Somebody has signed up already. Sign in instead.")
		}
		if err := add(w, &row); err != nil {
			return p, err
		}
		return person(&row), w.Say("person added", map[string]any{"name": name, "sign_in": signIn, "role": role})
	})
}

// add adds somebody whose sign-in name nobody has yet.
func add(w *desk.Work, row *store.Person) error {
	same, err := store.PersonBySignIn(w.Tx, row.SignIn)
	if err != nil {
		return err
	}
	if same.ID != 0 {
		return desk.RefuseAs(desk.Invalid, "sign_in", "The sign-in name %s is taken.", row.SignIn)
	}
	return store.AddPerson(w.Tx, row)
}

// SignIn proves a password. It takes as long for an unknown name as for a known one.
func (d *Room) SignIn(ctx context.Context, signIn, password string) (p desk.Person, err error) {
	row, err := store.PersonBySignIn(d.Store.Read(ctx), strings.ToLower(strings.TrimSpace(signIn)))
	if err != nil {
		return p, err
	}
	secret := row.Secret
	if row.ID == 0 {
		secret = "argon2id$3$65536$2$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
	}
	if !secretFits(secret, password) || row.ID == 0 {
		return p, desk.Refuse("The name or the password is not right.")
	}
	if row.Suspended {
		return p, desk.Refuse("You are not let in at the moment. Ask whoever owns this Wobin.")
	}
	return person(&row), nil
}

func person(row *store.Person) desk.Person {
	return desk.Person{ID: row.ID, Name: row.Name, Role: row.Role, Owner: row.Owner, Word: wordOf(row.Secret)}
}

// wordOf tells secrets apart: each has a salt of its own.
func wordOf(secret string) string { return desk.ShaOf([]byte(secret))[:16] }

// WhoIs gives the person with a number, for a session.
func (d *Room) WhoIs(ctx context.Context, id int64) (p desk.Person, err error) {
	row, err := store.PersonOf(d.Store.Read(ctx), id)
	if err != nil {
		return p, err
	}
	if row.ID == 0 || row.Suspended {
		return p, desk.Missing("The person")
	}
	return person(&row), nil
}
