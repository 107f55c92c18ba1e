package form_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wobin/internal/core/form"
)

func TestDateIn(t *testing.T) {
	for name, want := range map[string]string{
		"stock_2026-11-20.csv":           "2026-11-20",
		"STOCK20261120.txt":              "2026-11-20",
		"2026.11.20 06-30 quay.xlsx":     "2026-11-20 06:30",
		"quay 2026-11-20T0630.csv":       "2026-11-20 06:30",
		"quay_20261120_063015.csv":       "2026-11-20 06:30",
		"stock.csv":                      "",
		"stock 2026-13-20.csv":           "",
		"stock 2026-02-30.csv":           "",
		"article 120261120.csv":          "",
		"2026-11-01 to 2026-11-20.csv":   "",
		"20-11-2026.csv":                 "",
		"stock 2026-1120.csv":            "",
		"order 4500020261120 of 99.csv":  "",
		"stock 2026-11-20 (2).csv":       "2026-11-20",
		"stock 2026-11-20 9 pallets.csv": "2026-11-20",
	} {
		got, ok := form.DateIn(name)
		assert.Equal(t, want, got, name)
		assert.Equal(t, want != "", ok, name)
	}
}
