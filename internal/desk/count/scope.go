package count

import (
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/scope"
)

// KeptRule asks for an attribute of the item (item.Colour) or of the line (line.Shelf label) to have one of some values.
type KeptRule struct {
	Attribute string   `json:"attribute" maxLength:"200"`
	Values    []string `json:"values" maxItems:"500"`
}

// has tells whether a bin is in a scope. A scope by attributes or rules says nothing about keys that nobody had recorded.
func (sc *Scope) has(bin int64, zone string) bool {
	switch {
	case len(sc.Kept) > 0 || len(sc.Rules) > 0 || sc.LeaveZero:
		return false
	case len(sc.Bins) > 0:
		return slices.Contains(sc.Bins, bin)
	case len(sc.Zones) > 0:
		return slices.Contains(sc.Zones, zone)
	}
	return true
}

// Scope says what a count is about: a warehouse, or some of its zones or bins. With neither it is all of it.
type Scope struct {
	Warehouse int64    `json:"warehouse"`
	Zones     []string `json:"zones,omitempty"`
	Bins      []int64  `json:"bins,omitempty"`
	// Kept narrows to lines with certain attributes: each must have one of its values.
	Kept []KeptRule `json:"kept,omitempty" maxItems:"20"`
	// Rules narrow to lines for which all of them hold.
	Rules      []scope.Rule `json:"rules,omitempty" maxItems:"20"`
	LeaveZero  bool         `json:"leave_zero,omitempty" doc:"lines of which nothing is recorded are left out"`
	LeaveEmpty bool         `json:"leave_empty,omitempty" doc:"bins in which nothing is recorded are left out"`
}

// LeftOut are lines that are not counted by rule, and why.
type LeftOut struct {
	Services int `json:"services"`
	Inactive int `json:"inactive" doc:"inactive items without stock"`
	Parents  int `json:"parents"`
	Zero     int `json:"zero" doc:"lines of which nothing is recorded, where these are left out"`
}

// ClassTolerance are the limits of a class of items.
type ClassTolerance struct {
	Quantity *quantity.Quantity `json:"quantity,omitempty"`
	Percent  *quantity.Quantity `json:"percent,omitempty"`
	Value    *quantity.Money    `json:"value,omitempty"`
}

// Below tells whether a limit is below zero, which none may be.
func (t ClassTolerance) Below() bool {
	return t.Quantity != nil && *t.Quantity < 0 || t.Percent != nil && *t.Percent < 0 || t.Value != nil && *t.Value < 0
}
