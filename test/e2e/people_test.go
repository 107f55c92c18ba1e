package e2e

import (
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"wobin/test/browser"
)

// The owner invites somebody; who signs up by the link, once; the role changes, the person is suspended and let in again; what was done
// stands in the record, which holds; one's own password is changed.
func TestPeople(t *testing.T) {
	t.Parallel()
	s := start(t, filepath.Join(t.TempDir(), "data"), "demo")
	leave := chromedp.Tasks{
		s.open("/me"), browser.Visible(`header`), press("Sign out"), browser.Visible(`input[name=password]`),
	}
	s.do("sign in", s.open("/people"), browser.SignIn("ida", "demo"), browser.Visible(`[data-person="ida"]`))

	var link string
	s.do("invite", browser.Type(`input[aria-label="Name of who is invited"]`, "Wren Tiller"),
		press("viewer"), press("Make an invitation"),
		browser.Visible(`[data-invited="Wren Tiller"]`), chromedp.Value(`input[aria-label="The invitation"]`, &link))
	assert.Contains(t, link, s.base+"/join#")

	s.do("a weak password is refused", leave, chromedp.Navigate(link), sees("Welcome, Wren Tiller. You are to be a viewer."),
		browser.Type(`input[name=sign_in]`, "wren"), browser.Type(`input[name=password]`, "passwordpassword\r"), browser.Visible(`[role=alert]`))
	s.do("a good one is taken", browser.Type(`input[name=password]`, "three geese and a mop\r"), sees("Quay store, full count"))
	s.do("a viewer has no people to see", s.open("/people"), sees("your role does not allow this"))
	s.do("the link opens nothing more", leave, chromedp.Navigate("about:blank"), chromedp.Navigate(link), sees("This invitation opens nothing"))

	s.do("a role is changed", s.open("/people"), browser.SignIn("ida", "demo"), press2(`//*[@data-person="wren"]//button[.="counter"]`), press("Make Wren Tiller a counter"),
		browser.Gone(`//button[.="Make Wren Tiller a counter"]`, chromedp.BySearch),
		browser.Visible(`//*[@data-person="wren"]//button[.="counter"][@aria-checked="true"]`, chromedp.BySearch))
	s.do("and suspended", press2(`//*[@data-person="wren"]//button[.="suspend"]`),
		browser.Visible(`//*[@data-person="wren"]//*[.="! suspended"]`, chromedp.BySearch))
	s.do("is not let in", leave, s.open("/"), browser.Type(`input[name=sign_in]`, "wren"),
		browser.Type(`input[name=password]`, "three geese and a mop\r"), browser.Visible(`[role=alert]`))
	s.do("let in again", s.open("/people"), browser.SignIn("ida", "demo"), press2(`//*[@data-person="wren"]//button[.="let in again"]`),
		browser.Visible(`//*[@data-person="wren"]//button[.="suspend"]`, chromedp.BySearch))

	s.do("the record says all of it", s.open("/record"), sees("name: Wren Tiller · role: counter · was: viewer"),
		browser.Visible(`[data-entry]`),
		press("Prove the record"), sees("✓ all"))
	s.do("a password of one's own", s.open("/me"), browser.Type(`input[name=old]`, "demo"),
		browser.Type(`input[name=new]`, "gulls over the slipway"), press("Change the password"), browser.Visible(`[data-changed]`))
	s.do("holds from the next time", leave, s.open("/"), browser.SignIn("ida", "gulls over the slipway"), sees("Quay store, full count"))
}
