package cli

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A returned sheet says in its head from when to when it was counted and by whom; its rows need no time of their own, and what moved
// meanwhile is not let pass.
func TestSheetsSayWhen(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		p := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(p, []byte(text), 0o644))
		return p
	}
	stock := write("stock.csv", "warehouse,bin,sku,quantity\nW,A-1,ROPE,10\nW,A-2,SHK,10\n")
	code, _, errs := cutSheets(t, "--stock", stock, "--out", filepath.Join(dir, "sheets"), "--format", "csv")
	require.Zero(t, code, errs)
	b, err := os.ReadFile(filepath.Join(dir, "sheets", "sheet-001.csv"))
	require.NoError(t, err)
	header, rows := returned(t, filepath.Join(dir, "sheets", "sheet-001.csv"))
	at := 0
	for i, h := range header {
		if h == "Counted" {
			at = i
		}
	}
	top, _, _ := strings.Cut(string(b), "Row code")
	require.Contains(t, top, "Counted from,")
	top = strings.Replace(strings.Replace(strings.Replace(top, "Counted from,", "Counted from,2026-11-20T08:00:00Z", 1), "Counted to,",
		"Counted to,2026-11-20T10:00:00Z", 1), "Counted by,", "Counted by,Ada", 1)
	text := top + strings.Join(header, ",") + "\n"
	for _, r := range rows {
		r[at] = "10"
		text += strings.Join(r, ",") + "\n"
	}
	back := write("back.csv", text)
	// One moved before it was counted, the other while it was.
	moves := write("moves.csv", "warehouse,bin,sku,quantity,at\nW,A-1,ROPE,1,2026-11-20T07:30:00Z\nW,A-2,SHK,1,2026-11-20T09:00:00Z\n")
	var out, words bytes.Buffer
	code = Run(
		[]string{
			"reconcile",
			"--stock",
			stock,
			"--counts",
			back,
			"--movements",
			moves,
			"--frozen-at",
			"2026-11-20T07:00:00Z",
			"--tolerance-qty",
			"5",
			"--out",
			filepath.Join(dir, "out"),
		},
		strings.NewReader(""),
		&out,
		&words,
	)
	require.Zero(t, code, words.String())
	got, err := os.ReadFile(filepath.Join(dir, "out", "variances.csv"))
	require.NoError(t, err)
	status := map[string]string{}
	all := records(t, string(got))
	for _, r := range all[1:] {
		line := map[string]string{}
		for i, h := range all[0] {
			line[h] = r[i]
		}
		status[line["sku"]] = line["status"] + " " + line["variance"]
	}
	assert.Equal(t, map[string]string{"ROPE": "tolerated -1", "SHK": "short -1"}, status)
}
