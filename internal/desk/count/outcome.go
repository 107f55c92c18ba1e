package count

import (
	"wobin/internal/core/field"
)

// What becomes of counts of the same line in other sheets or files.
const (
	AddUp   = "add"     // both add up
	Replace = "replace" // the new one stands alone
)

// TakenIn is the last word on an intake.
type TakenIn struct {
	Intake int64      `json:"intake"`
	Return int64      `json:"return"`
	Count  int64      `json:"count"`
	Kind   field.Kind `json:"kind"`
	Outcome
}

// Outcome is how many records or lines a file comes to, by what becomes of them.
type Outcome struct {
	Added     int `json:"added"`
	Changed   int `json:"changed"`
	Unchanged int `json:"unchanged"`
	Gone      int `json:"gone" doc:"recorded before and not in the file"`
	Refused   int `json:"refused" doc:"rows with a problem"`
	Left      int `json:"left" doc:"rows left out because it was settled so"`
}
