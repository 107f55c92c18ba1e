package recorded_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk"
	"wobin/internal/desk/recorded"
	"wobin/internal/store"
)

// What was read in part, because whoever asked has left, is not kept for those who ask next: inactive items would be counted.
func TestBinsReadInPartAreNotKept(t *testing.T) {
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	d := recorded.New(desk.New(s, time.Now))
	ctx := context.Background()
	require.NoError(t, s.Write(ctx, func(tx *store.Tx) error {
		for _, row := range []any{&store.Warehouse{ID: 1, Code: "W"}, &store.Bin{WarehouseID: 1, Code: "A", SortKey: []byte("A")},
			&store.Item{SKU: "OLD", SortKey: []byte("OLD"), Nature: "stocked", Active: false}} {
			if err := tx.Create(row).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	_, err = d.BinsOf(s.Read(&leaving{Context: ctx}), 1)
	require.ErrorIs(t, err, context.Canceled)
	b, err := d.BinsOf(s.Read(ctx), 1)
	require.NoError(t, err)
	assert.Len(t, b.Inactive, 1)
}

// leaving is the context of somebody who leaves after the first look at it: while the items are read, behind the bins.
type leaving struct {
	context.Context
	looked int
}

func (l *leaving) Err() error {
	if l.looked++; l.looked > 1 {
		return context.Canceled
	}
	return nil
}
