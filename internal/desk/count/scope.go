package count

import (
	"slices"

	"wobin/internal/core/quantity"
	"wobin/internal/core/sample"
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
	case len(sc.Kept) > 0 || len(sc.Rules) > 0 || sc.LeaveZero || sc.Sample != nil || sc.Rotation:
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
	Sample     *Sample      `json:"sample,omitempty" doc:"only a sample of these lines"`
	Rotation   bool         `json:"rotation,omitempty" doc:"only today's portion of the rotation, of these lines"`
	LeaveZero  bool         `json:"leave_zero,omitempty" doc:"lines of which nothing is recorded are left out"`
	LeaveEmpty bool         `json:"leave_empty,omitempty" doc:"bins in which nothing is recorded are left out"`
}

// Sample says how many of a scope's lines are drawn, and how. Where no number is given it is worked out from what the sample is to show.
type Sample struct {
	By         string `json:"by" enum:"lines,value" doc:"each line as likely, or each as likely as it is worth"`
	Lines      int    `json:"lines,omitempty" minimum:"0" doc:"how many; 0: as many as it takes"`
	Confidence int    `json:"confidence" minimum:"500" maximum:"999" doc:"per thousand"`
	Accuracy   int    `json:"accuracy" minimum:"1" maximum:"9999" doc:"in hundredths of a per cent: the record accuracy that is to be shown"`
	Wrong      int    `json:"wrong,omitempty" minimum:"0" maximum:"1000" doc:"so many wrong lines are borne"`
	Seed       int64  `json:"seed" minimum:"1" maximum:"9007199254740991" doc:"what it is drawn by, so that it can be drawn again"`
	Of         int    `json:"of,omitempty" doc:"the lines that it was drawn from; noted at the freeze"`
	Picked     int    `json:"picked,omitempty" doc:"how many were drawn, the first lines of the count; noted at the freeze"`
}

// Want is what the sample is to show.
func (s *Sample) Want() sample.Want {
	return sample.Want{Confidence: s.Confidence, Accuracy: s.Accuracy * 10, Wrong: s.Wrong}
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
