package known

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func said(list []Difference) (out []string) {
	for _, d := range list {
		here, there := "-", "-"
		if d.Here != nil {
			here = d.Here.SKU
		}
		if d.There != nil {
			there = d.There.SKU
		}
		out = append(out, fmt.Sprintf("%s: %s / %s %s", d.What, here, there, d.Because))
	}
	return out
}

// What two lists have under other codes is known by what they share, where that is one item's alone.
func TestAgainst(t *testing.T) {
	here := []Listed{
		{SKU: "rope-8", Description: "Rope 8 mm"}, {SKU: "N-1", Description: "Bow shackle", Others: []string{"4006381333931"}},
		{SKU: "N-2", Description: "Split pin, 4 mm"}, {SKU: "N-3", Description: "Washer"}, {SKU: "N-4", Description: "Washer"}, {SKU: "N-5"},
		{SKU: "OLD-7", Description: "Cleat"},
	}
	there := []Listed{
		{SKU: "ROPE-8", Description: "Another name"}, {SKU: "SHK", Description: "Shackle, bow", Others: []string{"4006381333931"}},
		{SKU: "PIN", Description: "split pin 4 MM"}, {SKU: "WSH", Description: "Washer"}, {SKU: "CLT", Others: []string{"old-7"}}, {SKU: "GONE"},
	}
	assert.Equal(t, []string{
		"under another code: N-1 / SHK code 4006381333931", "under another code: N-2 / PIN name SPLIT PIN 4 MM", "under another code: OLD-7 / CLT code OLD-7",
		"only in the file: N-3 / - ", "only in the file: N-4 / - ", "only in the file: N-5 / - ",
		"only in the records: - / GONE ", "only in the records: - / WSH ",
	}, said(Against(here, there)))
	assert.Empty(t, Against(nil, nil))
}

// Every item of both lists is the same in both, or in exactly one difference; held the other way round the lists differ in the same items.
func TestAgainstFoots(t *testing.T) {
	draw := rapid.Custom(func(t *rapid.T) (list []Listed) {
		seen := map[string]bool{}
		for range rapid.IntRange(0, 12).Draw(t, "items") {
			sku := fmt.Sprintf("S%d", rapid.IntRange(0, 15).Draw(t, "sku"))
			if seen[sku] {
				continue
			}
			seen[sku] = true
			x := Listed{SKU: sku, Description: rapid.SampledFrom([]string{"", "Rope", "Line", "Pin"}).Draw(t, "name")}
			if rapid.Bool().Draw(t, "coded") {
				x.Others = append(x.Others, fmt.Sprintf("B%d", rapid.IntRange(0, 6).Draw(t, "other")))
			}
			list = append(list, x)
		}
		return list
	})
	rapid.Check(t, func(t *rapid.T) {
		here, there := draw.Draw(t, "here"), draw.Draw(t, "there")
		count := map[string]int{}
		for _, d := range Against(here, there) {
			if d.Here != nil {
				count["here "+d.Here.SKU]++
			}
			if d.There != nil {
				count["there "+d.There.SKU]++
			}
		}
		both := map[string]bool{}
		for _, x := range here {
			for _, y := range there {
				both[x.SKU] = both[x.SKU] || x.SKU == y.SKU
			}
		}
		want := func(list []Listed, side string) {
			for _, x := range list {
				n := 1
				if both[x.SKU] {
					n = 0
				}
				require.Equal(t, n, count[side+x.SKU], side+x.SKU)
			}
		}
		want(here, "here ")
		want(there, "there ")
		back := map[string]int{}
		for _, d := range Against(there, here) {
			back[map[string]string{OnlyHere: OnlyThere, OnlyThere: OnlyHere, OtherCode: OtherCode}[d.What]]++
		}
		forth := map[string]int{}
		for _, d := range Against(here, there) {
			forth[d.What]++
		}
		require.Equal(t, forth, back)
	})
}
