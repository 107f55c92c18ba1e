package cli

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/core/recognise"
)

// reconcileFiles runs the command on files given as text and gives what it printed, its exit code and its files.
func reconcileFiles(t *testing.T, files map[string]string, args ...string) (code int, stdout, stderr string, out map[string]string) {
	t.Helper()
	dir := t.TempDir()
	old, err := os.Getwd()
	require.NoError(t, err)
	require.NoError(t, os.Chdir(dir))
	defer func() { require.NoError(t, os.Chdir(old)) }()
	for name, text := range files {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
	}
	var o, e bytes.Buffer
	code = Run(append([]string{"reconcile", "--zone", "UTC", "--out", "out"}, args...), strings.NewReader(files["-"]), &o, &e)
	out = map[string]string{}
	for _, n := range []string{"variances.csv", "adjustments.csv"} {
		if b, err := os.ReadFile(filepath.Join("out", n)); err == nil {
			out[n] = string(b)
		}
	}
	return code, o.String(), e.String(), out
}

const stockFile = `warehouse,bin,sku,lot,description,unit,quantity,unit_cost,recorded_at,record_id
W,A-2,X,,"Rope, 8 mm",m,10,2.5,2026-11-20 06:00,r1
W,A-10,X,,"Rope, 8 mm",m,7,2.5,2026-11-20 06:00,r2
W,A-02,Y,L1,Paint,ea,5,,2026-11-20 06:00,r3
W,B-1,Z,,Flare,ea,4,3.333333,2026-11-20 06:00,r4
W,B-1,Q,,Block,ea,100,1,2026-11-20 06:00,r5
`

func TestReconcile(t *testing.T) {
	counts := `bin;warehouse;SKU;lot;counted;counted at;counter
A-2;w;x;;8;2026-11-20 10:00;Ida
a-02;W;Y;L1;5;2026-11-20 10:05;Ida
B-1;W;Z;;;2026-11-20 10:05;Ida
B-1;W;Q;;60;2026-11-20 09:00;Bo
B-1;W;Q;;41;2026-11-20 11:00;Bo
C-9;W;X;;2;2026-11-20 11:30;Bo
`
	moves := `warehouse,bin,sku,quantity,at,reference
W,,Z,-1,2026-11-20 08:00,M1
W,B-1,Q,2,2026-11-20 10:00,M2
W,A-2,X,-3,2026-11-20 12:00,M3
W,A-10,X,5,2026-11-20 05:00,M0
`
	files := map[string]string{"stock.csv": stockFile, "counts.csv": counts, "moves.csv": moves}
	args := []string{"--stock", "stock.csv", "--counts", "counts.csv", "--movements", "moves.csv", "--tolerance-pct", "1", "--json"}
	code, stdout, stderr, out := reconcileFiles(t, files, args...)
	require.Equal(t, 0, code, stderr)
	assert.Equal(
		t,
		`warehouse,bin,sku,lot,serial,holding,record_id,description,unit,recorded,moved,expected,counted,variance,unit_cost,value,status,moved_while_counting
W,A-02,Y,L1,,,r3,Paint,ea,5,0,5,5,0,,,match,
W,A-2,X,,,,r1,"Rope, 8 mm",m,10,0,10,8,-2,2.5,-5.00,short,
W,A-10,X,,,,r2,"Rope, 8 mm",m,7,0,7,,,2.5,,uncounted,
W,B-1,Q,,,,r5,Block,ea,100,2,102,101,-1,1,-1.00,short,yes
W,B-1,Z,,,,r4,Flare,ea,4,-1,3,,,3.333333,,uncounted,
W,C-9,X,,,,,,,0,0,0,2,2,2.5,5.00,found,
`,
		out["variances.csv"],
	)
	assert.Equal(t, `warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason
W,A-2,X,,,,r1,m,-2,2.5,-5.00,short
W,B-1,Q,,,,r5,ea,-1,1,-1.00,short
W,C-9,X,,,,,,2,2.5,5.00,found
`, out["adjustments.csv"])
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(stdout), &got))
	assert.Equal(t, map[string]any{
		"recorded_lines": 5.0, "counted": 4.0, "uncounted": 2.0, "match": 1.0, "tolerated": 0.0, "over": 0.0, "short": 2.0, "found": 1.0,
		"coverage_pct": 60.0, "accuracy_pct": 25.0, "over_value": "5.00", "short_value": "-6.00", "net_value": "-1.00", "gross_value": "11.00",
		"posted_over_value": "5.00", "posted_short_value": "-6.00", "posted_net_value": "-1.00", "posted_gross_value": "11.00",
		"unvalued": 1.0, "adjustment_lines": 3.0,
	}, got)

	t.Run("balances go on to the newest movement", func(t *testing.T) {
		code, _, stderr, out := reconcileFiles(t, files, append(args, "--quantity", "balance", "--uncounted", "zero-in-counted-bins")...)
		require.Equal(t, 0, code, stderr)
		assert.Equal(t, `warehouse,bin,sku,lot,serial,holding,record_id,unit,quantity,unit_cost,value,reason
W,A-2,X,,,,r1,m,5,2.5,-5.00,short
W,B-1,Q,,,,r5,ea,101,1,-1.00,short
W,B-1,Z,,,,r4,ea,0,3.333333,-10.00,uncounted
W,C-9,X,,,,,,2,2.5,5.00,found
`, out["adjustments.csv"])
	})
	t.Run("in and out", func(t *testing.T) {
		_, _, _, out := reconcileFiles(t, files, append(args, "--quantity", "in-out")...)
		assert.Contains(t, out["adjustments.csv"], "unit,quantity_in,quantity_out,unit_cost")
		assert.Contains(t, out["adjustments.csv"], "r1,m,0,2,2.5,-5.00,short")
	})
	t.Run("what was counted, every line with an entry", func(t *testing.T) {
		_, _, _, out := reconcileFiles(t, files, append(args, "--quantity", "counted")...)
		assert.Contains(t, out["adjustments.csv"], "W,A-02,Y,L1,,,r3,ea,5,2026-11-20T10:05:00Z,Ida,,,\n")
		assert.Contains(t, out["adjustments.csv"], "W,B-1,Q,,,,r5,ea,101,2026-11-20T11:00:00Z,Bo,1,-1.00,short\n")
	})
	t.Run("from standard input, of which nothing is left behind", func(t *testing.T) {
		t.Setenv("TMPDIR", t.TempDir())
		in := map[string]string{"stock.csv": stockFile, "-": counts}
		code, _, stderr, _ := reconcileFiles(t, in, "--stock", "stock.csv", "--counts", "-")
		assert.Equal(t, 0, code, stderr)
		left, err := filepath.Glob(filepath.Join(os.TempDir(), "wobin-*"))
		require.NoError(t, err)
		assert.Empty(t, left)
	})
}

func TestReconcileRounds(t *testing.T) {
	code, _, stderr, out := reconcileFiles(t, map[string]string{
		"s.csv": "sku,quantity\nX,10\n", "a.csv": "sku,counted,round\nX,7,1\nX,2,1\n", "b.csv": "sku,counted,round\nX,10,2\n"},
		"--stock", "s.csv", "--counts", "a.csv", "--counts", "b.csv")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out["variances.csv"], ",,X,,,,,,,10,0,10,10,0,,,match,")
}

// A row with the same code in a later file replaces the earlier one and keeps its time; an empty cell replaces nothing.
func TestReconcileReplaces(t *testing.T) {
	files := map[string]string{
		"s.csv": "sku,quantity,recorded_at\nX,10,2026-11-20 06:00\nY,4,2026-11-20 06:00\n",
		"m.csv": "sku,quantity,at\nX,-1,2026-11-20 09:00\n",
		"a.csv": "row_code,sku,counted,counted_at\nW1S1R13,X,7,2026-11-20 08:00\nW1S1R2" + check("W1S1R2") + ",Y,4,2026-11-20 08:00\n",
		"b.csv": "row_code,sku,counted,counted_at\nW1S1R1" + check("W1S1R1") + ",X,9,\nW1S1R2" + check("W1S1R2") + ",Y,,\n",
	}
	files["a.csv"] = strings.Replace(files["a.csv"], "W1S1R13", "W1S1R1"+check("W1S1R1"), 1)
	code, _, stderr, out := reconcileFiles(t, files, "--stock", "s.csv", "--counts", "a.csv", "--counts", "b.csv", "--movements", "m.csv")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out["variances.csv"], ",,X,,,,,,,10,0,10,9,-1,,,short,")
	assert.Contains(t, out["variances.csv"], ",,Y,,,,,,,4,0,4,4,0,,,match,")
}

func TestReconcileProblems(t *testing.T) {
	good := "warehouse,bin,sku,counted\nW,A,X,1\n"
	for name, c := range map[string]struct {
		stock, counts, moves string
		args                 []string
		want                 []string
	}{
		"bad number": {"sku,quantity\nX,12 pcs\n", "sku,counted\nX,1\n", "", nil,
			[]string{`stock.csv:2: quantity: "12 pcs" is not a number`}},
		"seven places": {"sku,quantity\n\nX,1.1234567\n", "sku,counted\nX,1\n", "", nil,
			[]string{`stock.csv:3: quantity: "1.1234567" has more than 6 decimal places`}},
		"too large": {"sku,quantity\nX,1000000000000\n", "sku,counted\nX,1\n", "", nil, []string{"is too large"}},
		"twice": {"warehouse,bin,sku,quantity\nW,A,X,1\nW,A,X,2\n", good, "", nil,
			[]string{"stock.csv:3: warehouse W, bin A, SKU X comes twice, first in row 2"}},
		"no quantity column": {"warehouse,bin,sku\nW,A,X\n", good, "", nil, []string{"stock.csv:1: quantity: no column for it"}},
		"available only": {"sku,available\nX,1\n", "sku,counted\nX,1\n", "", nil,
			[]string{`"available" is what is left after reservations`}},
		"empty file": {"", good, "", nil, []string{"stock.csv: is empty"}},
		"no header":  {"1,2,3\n4,5,6\n", good, "", nil, []string{"reads as the header"}},
		"bin in one only": {"warehouse,sku,quantity\nW,X,1\n", good, "", nil,
			[]string{"stock.csv: bin: no column for it, but counts.csv has one"}},
		"negative count": {"sku,quantity\nX,1\n", "sku,counted\nX,-1\n", "", nil, []string{`counts.csv:2: counted: "-1" is below zero`}},
		"row code": {"sku,quantity\nX,1\n", "row_code,sku,counted\nW1S1R1A,X,1\n", "", nil,
			[]string{`counts.csv:2: row_code: "W1S1R1A" fails its check`}},
		"row code, other line": {"sku,quantity\nX,1\nY,1\n", "row_code,sku,counted\nW1S1R1" + check("W1S1R1") + ",X,1\nW1S1R1" + check("W1S1R1") + ",Y,1\n", "", nil, []string{"counts.csv:3: row_code:", "belongs to SKU X"}},
		"movement, two bins": {"warehouse,bin,sku,quantity,recorded_at\nW,A,X,1,2026-01-01 10:00\nW,B,X,1,2026-01-01 10:00\n",
			"warehouse,bin,sku,counted,counted_at\nW,A,X,1,2026-01-01 11:00\n", "warehouse,sku,quantity,at\nW,X,1,2026-01-01 10:30\n", nil,
			[]string{"moves.csv:2: bin: is empty, and warehouse W, SKU X lies in 2 bins (A, B)"}},
		"movement twice": {"sku,quantity,recorded_at\nX,1,2026-01-01 10:00\n", "sku,counted,counted_at\nX,1,2026-01-01 11:00\n",
			"sku,quantity,at,reference\nX,1,2026-01-01 10:30,R\nX,1,2026-01-01 10:30,R\n", nil,
			[]string{`moves.csv:3: reference: "R" comes twice`, "first in row 2"}},
		"no freeze": {"sku,quantity\nX,1\n", "sku,counted,counted_at\nX,1,2026-01-01 11:00\n",
			"sku,quantity,at\nX,1,2026-01-01 10:30\n", nil, []string{"recorded_at: no row says when the stock was recorded"}},
		"no counting time": {"sku,quantity,recorded_at\nX,1,2026-01-01 10:00\n", "sku,counted\nX,1\n",
			"sku,quantity,at\nX,1,2026-01-01 10:30\n", nil, []string{"counts.csv:2: counted_at: is empty"}},
		"clock put forward": {"sku,quantity,recorded_at\nX,1,2026-03-29 02:30\n", "sku,counted\nX,1\n", "", []string{"--zone",
			"Europe/Berlin"}, []string{`"2026-03-29 02:30" is in an hour that the clock left out`}},
		"clock put back": {"sku,quantity,recorded_at\nX,1,2026-10-25 02:30\n", "sku,counted\nX,1\n", "", []string{"--zone",
			"Europe/Berlin"}, []string{"that the clock had twice"}},
		"balance below zero": {"sku,quantity,recorded_at\nX,1,2026-01-01 10:00\n", "sku,counted,counted_at\nX,0,2026-01-01 11:00\n",
			"sku,quantity,at\nX,-3,2026-01-01 12:00\n", []string{"--quantity", "balance"},
			[]string{"stock.csv:2: quantity: the balance of SKU X would be -3"}},
		"binary": {strings.Repeat("\x00", 5000), good, "", nil, []string{"stock.csv: is not a table: it holds zero bytes"}},
		"all at once": {"sku,quantity\nX,a\nY,b\n", "sku,counted\nX,c\n", "", nil, []string{"stock.csv:2:", "stock.csv:3:",
			"counts.csv:2:"}},
	} {
		t.Run(name, func(t *testing.T) {
			args := []string{"--stock", "stock.csv", "--counts", "counts.csv"}
			files := map[string]string{"stock.csv": c.stock, "counts.csv": c.counts}
			if c.moves != "" {
				files["moves.csv"] = c.moves
				args = append(args, "--movements", "moves.csv")
			}
			code, stdout, stderr, out := reconcileFiles(t, files, append(args, c.args...)...)
			assert.Equal(t, 2, code)
			assert.Empty(t, stdout)
			assert.Empty(t, out, "nothing is written")
			for _, w := range c.want {
				assert.Contains(t, stderr, w)
			}
		})
	}
}

// What a file leaves open is asked for; a layout answers; what cannot be meant otherwise is read as it is.
func TestReconcileUnderstands(t *testing.T) {
	run := func(stock, counts string, args ...string) (int, string, string) {
		code, _, stderr, out := reconcileFiles(
			t,
			map[string]string{
				"stock.csv":  stock,
				"counts.csv": counts,
				"l.json":     `{"kind":"stock","columns":[{"header":"Stock","field":"quantity","decimal":","},{"field":"warehouse","fixed":"W"}],"filter":"'Kind' <> \"service\""}`,
			},
			append([]string{"--stock", "stock.csv", "--counts", "counts.csv"}, args...)...)
		return code, stderr, out["variances.csv"]
	}
	// Decimal commas, a title and a total are plain.
	code, stderr, out := run("Stock list\n\nsku;quantity;cost\nX;1.234,5;2,50\nY;3;0,5\nTotal;1.237,5;\n", "sku;counted\nX;1234,5\nY;2\n")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out, ",,X,,,,,,,1234.5,0,1234.5,1234.5,0,2.5,0.00,match,")
	assert.Contains(t, stderr, "stock.csv: 1 total skipped, first in row 6")
	// "Stock" may be what is on hand or what is available.
	code, stderr, _ = run("sku,Stock,Kind\nX,5,goods\n", "sku,counted\nX,5\n")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, `stock.csv:1: quantity: column B is headed "Stock"`)
	assert.Contains(t, stderr, "--layout")
	// A layout says it, with a filter and a fixed warehouse.
	code, stderr, out = run("sku;Stock;Kind\nX;1.500;goods\nH;1;service\n", "warehouse,sku,counted\nW,X,1500\n", "--layout", "l.json")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out, "W,,X,,,,,,,1500,0,1500,1500,0,,,match,")
	assert.NotContains(t, out, ",H,")
	// Counts by barcode find the item where the stock file has barcodes.
	code, stderr, out = run(
		"sku,barcode,quantity\nX,5012345678900,5\nY,4006381333931,2\n",
		"barcode,counted\n5012345678900,4\n4006381333931,2\n",
	)
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out, ",,X,,,,,,,5,0,5,4,-1,")
	// Empty bins are empty, as many as there are.
	code, stderr, _ = run("warehouse,bin,sku,quantity\nW,A,X,1\nW,,Y,1\nW,,Z,1\n", "warehouse,bin,sku,counted\nW,A,X,1\n")
	assert.Equal(t, 0, code, stderr)
}

// folder gives a folder and a way to write files into it.
func folder(t *testing.T) (dir string, write func(name, text string) string) {
	dir = t.TempDir()
	return dir, func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
}

// wobin check tells what is made of files, and by its exit whether they are clean.
func TestCheck(t *testing.T) {
	dir, write := folder(t)
	clean, bad := write(
		"clean.csv",
		"warehouse;bin;sku;quantity\nW;A;X;1,5\n",
	), write(
		"bad.csv",
		"warehouse,bin,sku,quantity\nW,A,X,12 pcs\nW,A,Y,1\nW,A,Y,2\nTotal,,,3\n",
	)
	check := func(args ...string) (int, string) {
		var out, errOut bytes.Buffer
		code := Run(append([]string{"check"}, args...), nil, &out, &errOut)
		return code, out.String() + errOut.String()
	}
	code, out := check(clean)
	assert.Equal(t, 0, code, out)
	assert.Contains(t, out, "stock; the first row reads as a header")
	assert.Contains(t, out, "the decimal sign is a comma, as in 1,5")
	code, out = check(bad, "--json")
	assert.Equal(t, 2, code)
	var got []understanding
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	s := got[0].Sheets[0]
	assert.Equal(t, []int{3, 1, 2}, []int{s.Rows, s.Good, s.Refused})
	assert.Equal(t, map[recognise.Skip]int{recognise.Totals: 1}, s.Skipped)
	require.Len(t, s.Problems, 2)
	assert.Equal(t, []string{`Leave "pcs" away in column D, 1 row`}, s.Problems[0].Remedies)
	l := write("l.json", `{"kind":"stock","doubles":"sum","columns":[{"header":"quantity","signs":["pcs"]}]}`)
	code, out = check(bad, "--layout", l)
	assert.Equal(t, 0, code, out)
	// Without records nothing is unknown, but what the file itself tells is told.
	code, out = check(write("own.csv", "bin,sku,counted\n01-Mar,X,1\nA-2,Y,1\nA-3,Z,1\n"))
	assert.Equal(t, 2, code, out)
	assert.Contains(t, out, "turned into a date in bin: 1")
	assert.NotContains(t, out, "unknown")
	code, out = check(bad, "--as", "items")
	assert.Equal(t, 2, code, "as items it has a SKU twice")
	assert.Contains(t, out, "duplicate key in sku: 1")
	for _, args := range [][]string{{bad, "--as", "boats"}, {filepath.Join(dir, "none.csv")}, {bad, "--layout", bad}} {
		code, _ = check(args...)
		assert.Equal(t, 1, code, args)
	}
	code, out = check(write("x.csv", "\x00\x00\x00\x00"))
	assert.Equal(t, 2, code)
	assert.Contains(t, out, "is not a table")
}

// wobin intake does what the screen does: saved layouts are known, questions are not guessed, modes are told.
func TestIntakeCommand(t *testing.T) {
	dir := t.TempDir()
	data := filepath.Join(dir, "data")
	write := func(name, text string) string {
		name = filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(name, []byte(text), 0o644))
		return name
	}
	intake := func(args ...string) (int, string) {
		var out, errOut bytes.Buffer
		code := Run(append([]string{"intake", "--data", data, "--zone", "UTC"}, args...), nil, &out, &errOut)
		return code, out.String() + errOut.String()
	}
	first := write("first.csv", "warehouse,bin,sku,on hand\nW,A-1,00417,10\nW,A-2,00418,4\n")
	code, out := intake(first)
	require.Equal(t, 0, code, out)
	assert.Contains(t, out, "stock: 2 new")
	open := write("open.csv", "warehouse;bin;sku;Stock\nW;A-1;417;€ 2\n")
	code, out = intake(open)
	assert.Equal(t, 2, code)
	assert.Contains(t, out, `headed "Stock"`)
	assert.Contains(t, out, `"417" is not known, but 00417 is: leading zeros lost`)
	l := write(
		"l.json",
		`{"kind":"stock","columns":[{"header":"Stock","field":"quantity","signs":["€"]}],"repairs":[{"field":"sku","damage":"leading zeros lost"}]}`,
	)
	code, out = intake(open, "--layout", l, "--only", "--quantities", "add")
	require.Equal(t, 0, code, out)
	assert.Contains(t, out, "0 new, 1 changed, 0 unchanged, 0 gone")
	code, out = intake(first, "--rows", "add")
	require.Equal(t, 0, code, out)
	assert.Contains(t, out, "0 new, 0 changed, 0 unchanged, 0 gone")
	code, _ = intake(first, "--rows", "some")
	assert.Equal(t, 1, code)
}

// The commands ask and refuse what the screen does: whether a file is the whole stock, and which warehouse it is of; a look at files
// against a folder stores nothing and makes no folder.
func TestCommandsAskAsTheScreen(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	wobin := func(args ...string) (code int, out, says string) {
		var o, e bytes.Buffer
		code = Run(append(args, "--zone", "UTC"), nil, &o, &e)
		return code, o.String(), e.String()
	}
	head := "warehouse,bin,sku,quantity,reserved,as at\n"
	line := func(bin string) string { return "W," + bin + ",R1,5,0,2026-11-20T06:00:00Z\n" }
	all := write("all.csv", head+line("A-1")+line("A-2")+line("A-3")+line("A-4"))
	some := write("some.csv", head+line("A-1"))
	nowhere := write("nowhere.csv", "bin,sku,quantity,reserved,as at\nA-1,R1,6,0,2026-11-21T06:00:00Z\n")
	data := filepath.Join(dir, "data")
	code, _, says := wobin("check", "--data", data, all)
	assert.Equal(t, 1, code, "a folder that is not there")
	assert.NoDirExists(t, data, says)
	code, _, says = wobin("intake", "--data", data, all)
	require.Zero(t, code, says)
	for file, question := range map[string]string{some: "Is it the whole stock, or a part of it?", nowhere: "Which one?"} {
		for _, command := range []string{"check", "intake"} {
			code, _, says = wobin(command, "--data", data, file)
			assert.Equal(t, 2, code, says)
			assert.Contains(t, says, question)
		}
	}
	code, out, says := wobin("check", "--data", data, all)
	assert.Zero(t, code, says)
	assert.Contains(t, out, "0 new, 0 changed, 4 unchanged, 0 gone, 0 refused, 0 in doubt")
	code, out, says = wobin("intake", "--data", data, "--only", some)
	assert.Zero(t, code, says)
	assert.Contains(t, out, "0 new, 0 changed, 1 unchanged, 0 gone")
	code, out, says = wobin("intake", "--data", data, "--whole", some)
	assert.Zero(t, code, says)
	assert.Contains(t, out, "0 new, 0 changed, 1 unchanged, 3 gone")
	code, _, _ = wobin("intake", "--data", data, "--whole", "--only", some)
	assert.Equal(t, 1, code)

	// What can only be confirmed is confirmed by a word; without it nothing is taken in, and the word is named.
	old := write("old.csv", "warehouse,bin,sku,quantity,as at\nW,A-1,R1,7,1999-11-20T06:00:00Z\n")
	code, out, says = wobin("intake", "--data", data, old)
	assert.Equal(t, 2, code, says)
	assert.Empty(t, out)
	assert.Contains(t, says, "which is long past")
	assert.Contains(t, says, "say --meant where it is")
	code, out, says = wobin("intake", "--data", data, "--meant", old)
	assert.Zero(t, code, says)
	assert.Contains(t, out, "0 new, 1 changed, 0 unchanged, 0 gone", "older than what is recorded, too")
}

// A column that goes by the field's own name is taken before others that read alike; without one it is asked.
func TestReconcileRivals(t *testing.T) {
	dir, write := folder(t)
	counts := write("c.csv", "sku,counted,counted_at\nX,1,2026-01-01 11:00\n")
	var out, said bytes.Buffer
	assert.Equal(
		t,
		0,
		Run(
			[]string{"reconcile", "--stock", write("s.csv", "sku,on hand,quantity\nX,9,1\n"), "--counts", counts, "--out", dir},
			nil,
			&out,
			&said,
		),
		said.String(),
	)
	b, err := os.ReadFile(filepath.Join(dir, "variances.csv"))
	require.NoError(t, err)
	assert.Contains(t, string(b), "X,,,,,,,1,0,1,1,0,,,match")
	said.Reset()
	assert.Equal(
		t,
		2,
		Run(
			[]string{"reconcile", "--stock", write("t.csv", "sku,on hand,balance\nX,9,1\n"), "--counts", counts, "--out", dir},
			nil,
			&out,
			&said,
		),
	)
	assert.Contains(t, said.String(), "2 columns read as on hand, and they differ")
}

func TestReconcileOtherErrors(t *testing.T) {
	for _, args := range [][]string{{"--stock", "none.csv", "--counts", "none.csv"}, {"--stock", "s.csv"}, {"--stock", "s.csv", "--counts",
		"s.csv", "--quantity", "x"}, {"--stock", "s.csv", "--counts", "s.csv", "--tolerance-qty", "-1"}} {
		code, _, stderr, _ := reconcileFiles(t, map[string]string{"s.csv": "sku,quantity\nX,1\n"}, args...)
		assert.Equal(t, 1, code, args)
		assert.NotEmpty(t, stderr)
	}
	// A thousand problems are printed, the rest is counted.
	_, _, stderr, _ := reconcileFiles(
		t,
		map[string]string{"s.csv": "sku,quantity\n" + strings.Repeat("X,bad\n", 2500), "c.csv": "sku,counted\n"},
		"--stock",
		"s.csv",
		"--counts",
		"c.csv",
	)
	assert.Contains(t, stderr, "and 1500 more problems")
	assert.Equal(t, 1001, strings.Count(stderr, "\n"))
}

func TestAddUp(t *testing.T) {
	files := map[string]string{
		"s.csv": "sku,quantity,unit_cost\nX,1,2\nX,3,4\n",
		"a.csv": "sku,counted\nX,2\n",
		"b.csv": "sku,counted\nX,2\n",
	}
	args := []string{"--stock", "s.csv", "--counts", "a.csv", "--counts", "b.csv"}
	code, _, stderr, _ := reconcileFiles(t, files, args...)
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "comes twice, first in row 2")
	assert.Contains(t, stderr, "b.csv:2: SKU X is counted in a.csv, row 2, too")
	code, _, stderr, out := reconcileFiles(t, files, append(args, "--add-up")...)
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out["variances.csv"], "X,,,,,,,4,0,4,4,0,3.5,0.00,match,")
}

// A count that comes twice in a file with everything equal is an error; whatever tells two of them apart makes them add up.
func TestCountsTwiceAlike(t *testing.T) {
	run := func(rows string, more ...string) (int, string, string) {
		files := map[string]string{"s.csv": "sku,quantity\nX,1\n", "c.csv": "sku,counted,counted at,counter\n" + rows}
		code, _, stderr, out := reconcileFiles(t, files, append([]string{"--stock", "s.csv", "--counts", "c.csv"}, more...)...)
		return code, stderr, out["variances.csv"]
	}
	const one = "X,2,2026-11-20T09:00:00Z,Ada\n"
	code, stderr, _ := run(one + "X,3,2026-11-20T09:00:00Z,Ada\n" + one)
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "c.csv:4: ")
	assert.Contains(t, stderr, "comes twice in this file, equal in everything, first in row 2. Sum them with --add-up, or take one out")
	code, stderr, out := run(one+one, "--add-up")
	require.Equal(t, 0, code, stderr)
	assert.Contains(t, out, "X,,,,,,,1,0,1,4,3,")
	for apart, other := range map[string]string{
		"quantity": "X,1,2026-11-20T09:00:00Z,Ada\n",
		"at":       "X,2,2026-11-20T09:01:00Z,Ada\n", "counter": "X,2,2026-11-20T09:00:00Z,Bo\n",
	} {
		code, stderr, out := run(one + other)
		require.Equal(t, 0, code, apart+": "+stderr)
		sum := map[bool]string{true: "3,2,", false: "4,3,"}[apart == "quantity"]
		assert.Contains(t, out, "X,,,,,,,1,0,1,"+sum, apart)
	}
}

// Two gigabytes of zeros are refused at the first look, not read.
func TestTwoGigabytesOfZeros(t *testing.T) {
	dir := t.TempDir()
	zeros, counts := filepath.Join(dir, "zeros.csv"), filepath.Join(dir, "counts.csv")
	require.NoError(t, os.WriteFile(counts, []byte("sku,counted\nX,1\n"), 0o644))
	require.NoError(t, os.WriteFile(zeros, nil, 0o644))
	require.NoError(t, os.Truncate(zeros, 2<<30))
	var out, errOut bytes.Buffer
	assert.Equal(t, 2, Run([]string{"reconcile", "--stock", zeros, "--counts", counts}, nil, &out, &errOut))
	assert.Contains(t, errOut.String(), "is not a table: it holds zero bytes")
}
