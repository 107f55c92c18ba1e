package house_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/layout"
	"wobin/internal/desk/intake"
)

// Whether a file is the whole stock is asked where much of what is recorded, or a whole zone, is not in it; either answer does what
// it says, and nothing goes before.
func TestWholeOrPart(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	head := "warehouse,bin,sku,lot,quantity,as at\n"
	front := head + "W,A-1-1,ROPE,,11,2026-11-21T06:00:00Z\nW,A-1-2,SHK,,40,2026-11-21T06:00:00Z\n"
	dr := look(t, d, "front.csv", front, intake.Choices{})
	assert.Contains(t, dr.Blocked, "5 of the 7 lines recorded in its warehouses are not in this file")
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 0)
	require.Error(t, err, "the question blocks")
	require.Len(t, dr.Sheets[0].Checks, 1)
	assert.Equal(t, "W", dr.Sheets[0].Checks[0].Rows[0].Line)

	part := settle(t, d, dr, intake.Answer{Check: "part", Value: "part"})
	assert.Empty(t, part.Blocked)
	assert.Equal(t, []int{0, 2, 0, 0, 0, 0}, effect(part))
	whole := settle(t, d, part, intake.Answer{Check: "part", Value: "whole"})
	assert.Equal(t, []int{0, 2, 0, 5, 0, 0}, effect(whole))
	out := takeDraft(t, d, settle(t, d, whole, intake.Answer{Check: "part", Value: "part"}))
	got := recorded(t, d, 1)
	assert.Equal(t, "11", got["A-1-1 ROPE"])
	assert.Equal(t, "25", got["B-1-1 SHK"], "what is not in a part stays")
	require.NoError(t, d.Intake.Undo(ctx, nell, out.Intake, true))

	// A single line that is not there is an ordinary change; said by hand, nothing is asked.
	without := stockText[:len(stockText)-len("W,Back,B-2-2,OLD,,0,0,4,2026-11-20T06:00:00Z,r7\n")]
	assert.Empty(t, look(t, d, "six.csv", without, intake.Choices{}).Blocked)
	only := intake.Choices{Sheets: map[string]intake.SheetChoice{"0": {Layout: layout.Layout{Extent: "only"}}}}
	assert.Empty(t, look(t, d, "front.csv", front, only).Blocked)
}

// A zone that is not in the file at all is asked about, though it is a small part of the warehouse.
func TestMissingZone(t *testing.T) {
	d := at(t)
	text := "warehouse,zone,bin,sku,quantity,as at\n"
	for i := range 40 {
		zone := "Main"
		if i >= 36 {
			zone = "Cage"
		}
		text += fmt.Sprintf("W,%s,B-%02d,R%d,5,2026-11-20T06:00:00Z\n", zone, i, i)
	}
	take(t, d, "stock.csv", text)
	lines := strings.SplitAfter(text, "\n")
	dr := look(t, d, "main.csv", strings.Join(lines[:37], ""), intake.Choices{})
	require.Len(t, dr.Sheets[0].Checks, 1)
	assert.Equal(t, []intake.CheckRow{{Line: "W · Cage", Text: "none of 4 recorded lines is in the file"}}, dr.Sheets[0].Checks[0].Rows)
	scattered := append(slices.Clone(lines[:30]), lines[34:]...)
	assert.Empty(t, look(t, d, "scattered.csv", strings.Join(scattered, ""), intake.Choices{}).Blocked, "four of forty, from here and there, just went")
}

// Refused is not gone: the line of a row that could not be read stays as it is recorded, and where nobody can tell which line a row
// is, it is asked before any goes.
func TestRefusedIsNotGone(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	lines := strings.Split(strings.TrimSpace(stockText), "\n")
	slices.Reverse(lines[1:]) // so that codes have other numbers than in the records
	wrong := strings.Replace(strings.Join(lines, "\n"), "B-2-2,OLD,,0,", "B-2-2,OLD,,?,", 1) + "\n"
	dr := look(t, d, "wrong.csv", wrong, intake.Choices{})
	assert.Equal(t, []int{0, 0, 6, 0, 1, 0}, effect(dr))
	assert.Equal(t, 1, dr.Effect.Doubt)
	assert.Empty(t, dr.Blocked)
	_, err := d.Intake.TakeIn(ctx, nell, dr.ID, "", 1)
	require.NoError(t, err)
	assert.Equal(t, "0", recorded(t, d, 1)["B-2-2 OLD"], "it is still recorded")
	require.Contains(t, recorded(t, d, 1), "B-2-2 OLD")

	nameless := stockText[:len(stockText)-len("W,Back,B-2-2,OLD,,0,0,4,2026-11-20T06:00:00Z,r7\n")] + "W,Back,B-2-2,,,9,0,4,2026-11-20T06:00:00Z,r7\n"
	dr = look(t, d, "nameless.csv", nameless, intake.Choices{})
	assert.Equal(t, []int{0, 0, 6, 1, 1, 0}, effect(dr))
	assert.Contains(t, dr.Blocked, "Is it the whole stock, or a part of it?")
	dr = settle(t, d, dr, intake.Answer{Check: "part", Value: "part"})
	assert.Equal(t, []int{0, 0, 6, 0, 1, 0}, effect(dr))
}

// A file that lacks one category altogether is asked about, however few its lines are among all.
func TestExtentByCategory(t *testing.T) {
	d := at(t)
	items, stock, part := "sku,category\n", "warehouse,bin,sku,quantity,as at\n", "warehouse,bin,sku,quantity,as at\n"
	for i := range 40 {
		category := "Ropes"
		if i >= 37 {
			category = "Paint"
		}
		items += fmt.Sprintf("S-%02d,%s\n", i, category)
		line := fmt.Sprintf("W,A-%d,S-%02d,5,", i%4, i)
		stock += line + "2026-11-20T06:00:00Z\n"
		if category == "Ropes" {
			part += line + "2026-11-21T06:00:00Z\n"
		}
	}
	take(t, d, "items.csv", items)
	take(t, d, "stock.csv", stock)
	dr := look(t, d, "part.csv", part, intake.Choices{})
	require.Len(t, dr.Sheets[0].Checks, 1)
	require.Len(t, dr.Sheets[0].Checks[0].Rows, 1)
	assert.Equal(t, "category Paint", dr.Sheets[0].Checks[0].Rows[0].Line)
	assert.Equal(t, "none of 3 recorded lines is in the file", dr.Sheets[0].Checks[0].Rows[0].Text)
	missing := strings.Replace(part, "W,A-0,S-00,5,2026-11-21T06:00:00Z\n", "", 1) + "W,A-1,S-37,5,2026-11-21T06:00:00Z\n"
	assert.Empty(t, look(t, d, "some.csv", missing, intake.Choices{}).Sheets[0].Checks, "a line here and there goes")
}
