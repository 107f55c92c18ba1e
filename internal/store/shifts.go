package store

import (
	"encoding/json"

	"gorm.io/gorm"
)

// MovedAt says that a movement happened for a line of a count at another time than it was booked; at 0, as it was booked.
type MovedAt struct{ Pos, Movement, At int64 }

// shiftMoves takes [position, movement, instant, count]; the count stands in every row of the list for the reason that updateValues has.
const shiftMoves = `UPDATE count_moves SET as_at = j.value->>2 FROM json_each(?) j
	WHERE count_id = j.value->>3 AND pos = j.value->>0 AND movement_id = j.value->>1`

// ShiftMoves lets movements of lines of a count have happened at other times, and gives how many there were.
func ShiftMoves(tx *gorm.DB, count int64, shifts []MovedAt) (n int, err error) {
	rows := make([][4]int64, len(shifts))
	for i, s := range shifts {
		rows[i] = [4]int64{s.Pos, s.Movement, s.At, count}
	}
	b, err := json.Marshal(rows)
	if err != nil {
		return 0, err
	}
	r := tx.Exec(shiftMoves, string(b))
	return int(r.RowsAffected), r.Error
}
