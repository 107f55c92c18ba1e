package store

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
)

// A column of a row that the record covers cannot be changed behind it: every column of every covered table is tried. Those
// that say nothing any more are named with the reason.
func TestEveryColumnOfCoveredRowsIsProved(t *testing.T) {
	idle := map[string]string{
		"entries.slot": "it named the slot for programs of before; parcel does, which is proved",
	}
	for table := range covered {
		t.Run(table, func(t *testing.T) {
			s := opened(t)
			ctx := context.Background()
			require.NoError(t, s.write.Exec("PRAGMA foreign_keys = OFF").Error)
			var columns []struct{ Name, Type string }
			require.NoError(t, s.write.Raw("SELECT name, type FROM pragma_table_info(?) ORDER BY cid", table).Scan(&columns).Error)
			require.NotEmpty(t, columns)
			names, values := make([]string, len(columns)), make([]string, len(columns))
			number := covered[table][1]
			for i, c := range columns {
				names[i], values[i] = c.Name, fmt.Sprintf("'t%d'", i)
				if c.Type == "INTEGER" {
					values[i] = fmt.Sprint(i + 2)
				}
				switch c.Name {
				case number:
					values[i] = "1"
				case "replaces", "withdrawn":
					values[i] = "0"
				}
			}
			put := fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s)", table, strings.Join(names, ", "), strings.Join(values, ", "))
			require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error {
				if err := tx.Exec(put).Error; err != nil {
					return err
				}
				c, err := Cover(tx, table, 1, 1)
				if err != nil {
					return err
				}
				return Record(tx, 1, "p", "done", "{}", c)
			}))
			p, err := s.VerifyChain(ctx)
			require.NoError(t, err)
			require.Zero(t, p.Broken, p.Text)
			for _, trigger := range []string{"kept", "stay", "follow"} {
				require.NoError(t, s.write.Exec("DROP TRIGGER IF EXISTS "+table+"_"+trigger).Error)
			}
			for i, c := range columns {
				if c.Name == number { // a row that goes under another number is missing under its own
					continue
				}
				other := "'another'"
				if c.Type == "INTEGER" {
					other = "777"
				}
				if c.Name == "withdrawn" {
					other = "1"
				}
				require.NoError(t, s.write.Exec(fmt.Sprintf("UPDATE %s SET %s = %s", table, c.Name, other)).Error)
				p, err := s.VerifyChain(ctx)
				require.NoError(t, err)
				if idle[table+"."+c.Name] != "" {
					assert.Zero(t, p.Broken)
				} else {
					assert.NotZero(t, p.Broken, "%s.%s was changed and nobody notices", table, c.Name)
				}
				require.NoError(t, s.write.Exec(fmt.Sprintf("UPDATE %s SET %s = %s", table, c.Name, values[i])).Error)
			}
			p, err = s.VerifyChain(ctx)
			require.NoError(t, err)
			require.Zero(t, p.Broken, "as it was")
			require.NoError(t, s.write.Exec(fmt.Sprintf("UPDATE %s SET %s = 9", table, number)).Error)
			p, err = s.VerifyChain(ctx)
			require.NoError(t, err)
			assert.NotZero(t, p.Broken, "it is not under its number any more")
		})
	}
}

// Every link of the record is proved in all that it says: its time, its person, its word, its detail, and what it follows on.
func TestEveryColumnOfTheRecordIsProved(t *testing.T) {
	s := opened(t)
	ctx := context.Background()
	for i := range 3 {
		require.NoError(t, s.Write(ctx, func(tx *gorm.DB) error { return Record(tx, int64(i), "p", "done", fmt.Sprintf(`{"n":%d}`, i)) }))
	}
	require.NoError(t, s.write.Exec("DROP TRIGGER chain_kept").Error)
	for column, other := range map[string]string{"at": "777", "person": "'q'", "what": "'undone'", "detail": "'{}'", "previous": "'x'", "hash": "'x'"} {
		var was string
		require.NoError(t, s.write.Raw("SELECT quote("+column+") FROM chain WHERE id = 2").Scan(&was).Error)
		require.NoError(t, s.write.Exec("UPDATE chain SET "+column+" = "+other+" WHERE id = 2").Error)
		p, err := s.VerifyChain(ctx)
		require.NoError(t, err)
		assert.NotZero(t, p.Broken, column)
		require.NoError(t, s.write.Exec("UPDATE chain SET "+column+" = "+was+" WHERE id = 2").Error)
	}
	p, err := s.VerifyChain(ctx)
	require.NoError(t, err)
	assert.Zero(t, p.Broken)
}
