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

// What reconcile writes is proved by prove: its exit says whether all of it has landed.
func TestProve(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	const header = "warehouse,bin,sku,serial,quantity,record_id,recorded_at\n"
	before := write("before.csv", header+"W,A-2,X,,10,r1,2026-11-20 06:00\nW,A-10,X,,7,r2,2026-11-20 06:00\nW,B-1,PUMP,S7,1,r3,2026-11-20 06:00\n")
	counts := write("counts.csv", "warehouse,bin,sku,serial,counted,counted_at\nW,A-2,X,,8,2026-11-20 09:00\nW,A-10,X,,7,2026-11-20 09:00\n"+
		"W,B-1,PUMP,S7,0,2026-11-20 09:00\nW,B-1,PUMP,S8,1,2026-11-20 09:00\n")
	run := func(args ...string) (code int, out, err string) {
		var o, e bytes.Buffer
		code = Run(args, strings.NewReader(""), &o, &e)
		return code, o.String(), e.String()
	}
	code, _, stderr := run("reconcile", "--zone", "UTC", "--stock", before, "--counts", counts, "--out", filepath.Join(dir, "out"))
	require.Equal(t, 0, code, stderr)
	prove := func(after string, more ...string) (int, string, string) {
		return run(append([]string{"prove", "--zone", "UTC", "--sent", filepath.Join(dir, "out", "adjustments.csv"), "--before", before,
			"--after", write("after.csv", header+after), "--out", dir}, more...)...)
	}
	code, stdout, stderr := prove("W,A-2,X,,8,r1,2026-11-21 06:00\nW,A-10,X,,7,r2,2026-11-21 06:00\nW,B-1,PUMP,S8,1,r4,2026-11-21 06:00\n", "--json")
	require.Equal(t, 0, code, stderr)
	assert.JSONEq(t, `{"sent_lines":3,"landed":3,"missing":0,"different":0,"twice":0,"unexplained":0,"landed_pct":"100.00"}`, stdout)
	proof, err := os.ReadFile(filepath.Join(dir, "proof.csv"))
	require.NoError(t, err)
	assert.Equal(t, `warehouse,bin,sku,lot,serial,holding,record_id,sent,before,moved,after,landed,state
W,A-2,X,,,,r1,-2,10,0,8,-2,landed
W,B-1,PUMP,,S7,,r3,-1,1,0,0,-1,landed
W,B-1,PUMP,,S8,,r4,1,0,0,1,1,landed
`, string(proof))
	code, stdout, _ = prove("W,A-2,X,,10,r1,2026-11-21 06:00\nW,A-10,X,,9,r2,2026-11-21 06:00\nW,B-1,PUMP,S8,1,r4,2026-11-21 06:00\n")
	assert.Equal(t, 3, code)
	assert.Regexp(t, `(?s)landed\s+2\n.*missing\s+1\n.*changed without being sent\s+1\n.*proved\s+66.67 %`, stdout)
	require.NoError(t, os.Remove(filepath.Join(dir, "proof.csv")))
	code, _, stderr = prove("W,A-2,X,,ten,r1,2026-11-21 06:00\n")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, `"ten" is not a number`)
	assert.NoFileExists(t, filepath.Join(dir, "proof.csv"))
	code, _, stderr = run("prove", "--sent", before)
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "prove needs --sent FILE, --before FILE and --after FILE")
}
