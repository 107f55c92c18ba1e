package plan

import (
	"cmp"
	"strings"

	"wobin/internal/core/cutting"
	"wobin/internal/desk"
)

// Cut says how the sheets of a scope are cut.
type Cut struct {
	By    string   `json:"by,omitempty" enum:"zone,size,people," doc:"each zone by itself, by rows alone, or a stretch of the same time for each person; left out: by zone"`
	Rows  int      `json:"rows" minimum:"1" maximum:"5000" doc:"the largest number of rows on a sheet; a bin is never parted"`
	For   []string `json:"for,omitempty" maxItems:"200" doc:"by people: who they are, each of whom gets sheets"`
	Walk  string   `json:"walk,omitempty" enum:"up and down,each aisle," doc:"how the aisles are walked: one up and the next one down, or each from its first bay"`
	Order string   `json:"order,omitempty" maxLength:"200" doc:"where nothing says bins: what rows stand by, category or an attribute such as line.Brand; left out: the SKU"`
	Empty int      `json:"empty,omitempty" minimum:"0" maximum:"100" doc:"where nothing is recorded: rows to fill in for each bin"`

	pace cutting.Pace
}

func (c Cut) way() cutting.Way { return cmp.Or(cutting.Way(c.Walk), cutting.UpAndDown) }

func (c Cut) how() cutting.How {
	return cutting.How{By: cmp.Or(cutting.By(c.By), cutting.Zone), Rows: c.Rows, People: len(c.For)}
}

// who is the person of a sheet; none where sheets are not cut by people.
func (c Cut) who(person int) string {
	if person < 0 {
		return ""
	}
	return c.For[person]
}

// settled fills in what was left open, and refuses what cannot be.
func (c Cut) settled() (Cut, error) {
	c.Empty = max(c.Empty, 1)
	if c.pace == (cutting.Pace{}) {
		c.pace = cutting.Usual
	}
	seen := map[string]bool{}
	people := []string{}
	for _, name := range c.For {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		by := strings.ToUpper(name) // a name is one person
		if seen[by] {
			return c, desk.RefuseAs(desk.Invalid, "for", "%s is named twice among those who count.", name)
		}
		seen[by] = true
		people = append(people, name)
	}
	c.For = people
	if c.By != string(cutting.People) {
		c.For = nil
	} else if len(people) == 0 {
		return c, desk.RefuseAs(desk.Invalid, "for", "Name the people who count: each gets sheets that take about the same time.")
	}
	if wrong := c.how().Wrong(); wrong != "" {
		return c, desk.RefuseAs(desk.Invalid, "by", "It cannot be cut so: %s.", wrong)
	}
	return c, nil
}
