package formula_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"wobin/internal/core/formula"
	"wobin/internal/core/quantity"
)

// row is cells by label; decimal commas are read in the column Price.
type row struct {
	f     *formula.Formula
	cells map[string]string
}

func (r row) Text(l int) string { return r.cells[r.f.Labels[l]] }
func (r row) Number(l int) (string, bool) {
	s := r.Text(l)
	if r.f.Labels[l] == "Price" {
		s = strings.ReplaceAll(strings.ReplaceAll(s, ".", ""), ",", ".")
	}
	_, err := quantity.Parse(s)
	return s, err == nil
}

func eval(t require.TestingT, source string, cells map[string]string) (string, error) {
	f, err := formula.Parse(source)
	require.NoError(t, err, source)
	return f.Text(row{f, cells})
}

func TestFormulas(t *testing.T) {
	cells := map[string]string{
		"Boxes":   "3",
		"Singles": "7",
		"Price":   "1.234,50",
		"SKU":     " 00417 ",
		"Name":    "Rope  12 mm",
		"Empty":   "",
		"Bin's":   "A-02",
		"Date":    "2026-11-21",
	}
	for source, want := range map[string]string{
		"'Boxes' * 12 + 'Singles'": "43", "=1+1": "2", "0.1+0.2": "0.3", "1/8": "0.125", "-2^2": "4", "2^3^2": "64", "10%": "0.1",
		"2*(3+4)": "14", "7-2-1": "4",
		"ROUND(10/3; 2)": "3.33", "ROUND(-2.5)": "-3", "ROUND(1234; -2)": "1200", "ROUNDUP(1.01)": "2", "ROUNDUP(-1.01)": "-2",
		"TRUNC(-1.9)": "-1", "INT(-1.1)": "-2", "MOD(-7; 3)": "2", "MOD(7;-3)": "-2",
		"ABS(-4)": "4", "MIN(3;1;2)": "1", "MAX('Boxes';'Singles')": "7", "SUM(1;2;3)": "6",
		"'Price' * 2": "2469", "'Empty' + 1": "1", "'Empty' = 0": "TRUE", "'Empty' = \"\"": "TRUE",
		"TRIM('SKU')": "00417", "TRIM('Name')": "Rope 12 mm", "LEN(TRIM('SKU'))": "5", "VALUE(TRIM('SKU'))": "417",
		"UPPER(LEFT('Name';4))": "ROPE", "RIGHT(\"abc\";2)": "bc", "MID(\"abcdef\";2;3)": "bcd", "MID(\"abc\";9;3)": "",
		"FIND(\"-\";'Bin''s')": "2", "SEARCH(\"ROPE\";'Name')": "1",
		"SUBSTITUTE('Bin''s';\"-\";\"/\")": "A/02", "SUBSTITUTE(\"a-b-c\";\"-\";\"+\";2)": "a-b+c", "REPT(\"0\";3)&\"1\"": "0001",
		"REPLACE(\"abc\";2;1;\"X\")":       "aXc",
		"RIGHT(\"000000\"&TRIM('SKU'); 6)": "000417", "TEXT(417;\"000000\")": "000417", "TEXT(1234.5;\"#,##0.00\")": "1,234.50",
		"TEXT(-0.4;\"0\")": "0", "TEXT(0.5;\"0.##\")": "0.5",
		"EXACT(\"a\";\"A\")": "FALSE", "\"a\"=\"A\"": "TRUE", "CONCATENATE(1;\"-\";TRUE)": "1-TRUE", "IF('Boxes'>2;\"many\";\"few\")": "many",
		"IF(FALSE;1)":  "FALSE",
		"AND(1<2;2<3)": "TRUE", "OR(FALSE();'Boxes'=4)": "FALSE", "NOT(TRUE)": "FALSE", "ISBLANK('Empty')": "TRUE", "ISBLANK('SKU')": "FALSE",
		"ISNUMBER('Price')": "TRUE", "ISNUMBER('Name')": "FALSE", "ISTEXT('Name')": "TRUE",
		"IFERROR(1/0; 9)": "9", "ISERROR(VALUE(\"x\"))": "TRUE", "DATE(2026;11;21)": "2026-11-21", "DATE(2026;11;21)+1": "2026-11-22",
		"DATE(2026;3;1)-DATE(2026;2;1)": "28", "TEXT(DATE(2026;1;5);\"DD.MM.YYYY\")": "05.01.2026",
		"YEAR('Date')": "2026", "DAY(DATEVALUE('Date'))": "21", "NUMBERVALUE(\"1.234,5\";\",\";\".\")": "1234.5",
		"\"say \"\"hi\"\"\"": `say "hi"`, "IF(1, 2, 3)": "2",
		"MIN('Empty';3)": "3", "MAX('Empty';-3)": "-3", "SUM('Empty';2)": "2", "MIN('Empty')": "0", "AND('Empty';TRUE)": "TRUE",
		"OR('Empty';FALSE)": "FALSE", "AND('Empty')": "FALSE", "MIN(\"\"&4;5)": "4",
	} {
		got, err := eval(t, source, cells)
		if assert.NoError(t, err, source) {
			assert.Equal(t, want, got, source)
		}
	}
	for source, want := range map[string]string{
		"1/0": "at character 2: division by zero", "'Name' + 1": `at character 8: "Rope  12 mm" is not a number`,
		"10/3":                "at character 1: the result has more than six decimal places. Say how to round it, as in ROUND(…; 2)",
		"FIND(\"x\";\"abc\")": `at character 1: FIND: "abc" does not hold "x"`, "9^64^64": "at character 5: the number is too large",
		"REPT(\"abc\";60000)": "at character 1: REPT: cannot repeat 60000 times",
	} {
		_, err := eval(t, source, cells)
		assert.EqualError(t, err, want, source)
	}
}

// What cannot be read is said with its place.
func TestParseErrors(t *testing.T) {
	for source, want := range map[string]string{
		"": "at character 1: the formula breaks off; a value is expected", "1+": "at character 3: the formula breaks off; a value is expected",
		"(1":   "at character 3: a closing bracket is missing for the one at character 1",
		"'Box": "at character 1: the quotation mark is never closed", "1 2": `at character 3: "2" is not expected here`,
		"FOO(1)":    "at character 1: there is no function FOO here",
		"1 + Boxes": "at character 5: Boxes is no function; a column is named in quotation marks, as in 'Quantity'",
		"LEFT()":    "at character 1: LEFT takes 1 to 2 values", "IF(1 2)": "at character 6: a semicolon or a closing bracket is expected in IF",
		"1.2.3": `at character 1: "1.2.3" is not a number`, "ABS 3": "at character 5: an opening bracket is expected behind ABS",
		"#": `at character 1: "#" is not expected here`,
	} {
		_, err := formula.Parse(source)
		var e *formula.Error
		if want = strings.Replace(want, "Boxes", "BOXES", 1); assert.True(t, errors.As(err, &e), source) {
			assert.Equal(t, want, err.Error(), source)
		}
	}
	_, err := formula.Parse(strings.Repeat("(", 500) + "1" + strings.Repeat(")", 500))
	assert.ErrorContains(t, err, "nested too deeply")
}

// Sums and products of quantities are exact, whatever they are.
func TestExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := quantity.Quantity(rapid.Int64Range(-1e15, 1e15).Draw(t, "a"))
		b := quantity.Quantity(rapid.Int64Range(-1e15, 1e15).Draw(t, "b"))
		got, err := eval(t, "'a' + 'b' - 'a' * 1", map[string]string{"a": a.String(), "b": b.String()})
		require.NoError(t, err)
		assert.Equal(t, b.String(), got)
		got, err = eval(t, fmt.Sprintf("ROUND('a' * 'b' / %s; 6)", "1000000"), map[string]string{"a": a.String(), "b": "1000000"})
		require.NoError(t, err)
		assert.Equal(t, a.String(), got)
	})
}

func ExampleParse() {
	f, _ := formula.Parse("'Boxes' * 12 + 'Singles'")
	text, _ := f.Text(row{f, map[string]string{"Boxes": "3", "Singles": "7.5"}})
	fmt.Println(f.Labels, text)
	// Output: [Boxes Singles] 43.5
}

// Nothing that is typed brings it down.
func FuzzFormula(f *testing.F) {
	for _, s := range []string{"'a'*12+'b'", "IF(1;2;3)", "ROUND(1/3;2)", "((1))^2%", "TEXT(-5;\"0.#\")", "MID('a';2;9)&\"x\"",
		"DATE(2026;1;1)"} {
		f.Add(s, "12")
	}
	f.Fuzz(func(t *testing.T, source, cell string) {
		p, err := formula.Parse(source)
		if err != nil {
			return
		}
		cells := map[string]string{}
		for _, l := range p.Labels {
			cells[l] = cell
		}
		if s, err := p.Text(row{p, cells}); err == nil && len(s) > 1<<17 {
			t.Fatal("too long a result")
		}
	})
}

// dayRow is a row with a column of dates.
type dayRow struct{ row }

func (r dayRow) Date(l int) (time.Time, bool) {
	t, err := time.Parse("2.1.2006", r.Text(l))
	return t.UTC(), err == nil
}

// What the standard has for empty cells, dates, errors in cells, forms of numbers and patterns.
func TestAsTheStandardHasIt(t *testing.T) {
	cells := map[string]string{"empty": "", "minus": "-5", "error": "#NV", "day": "21.11.2026", "n": "12"}
	for source, want := range map[string]string{
		"'empty' > 'minus'":                      "TRUE",
		"'empty' = \"\"":                         "TRUE",
		"'empty' = 0":                            "TRUE",
		"ISNUMBER('error')":                      "FALSE",
		"ISTEXT('error')":                        "FALSE",
		"ISBLANK('error')":                       "FALSE",
		"IFERROR('error'; 0)":                    "0",
		"ISNUMBER(1 / 0)":                        "FALSE",
		"1E3 + 2.5e-1":                           "1000.25",
		"4 ^ 0.5":                                "2",
		"VALUE(\"12%\")":                         "0.12",
		"VALUE(\"1E3\")":                         "1000",
		"NUMBERVALUE(\"1.234,5\";\",\";\".\")":   "1234.5",
		"NUMBERVALUE(\"12%\";\".\")":             "0.12",
		"TRIM(\"  tin   can \")":                 "tin can",
		"LEN(TRIM(\"a\t b\"))":                   "4",
		"TEXT(DATE(2026;11;5); \"DD.MM.YYYY\")":  "05.11.2026",
		"TEXT(DATE(2026;11;5); \"D MMMM YYYY\")": "5 November 2026",
		"TEXT(DATE(2026;11;5) + 0.25; \"YYYY-MM-DD HH:MM\")": "2026-11-05 06:00",
		"'day' > DATE(2026;11;20)":                           "TRUE",
		"'day' - DATE(2026;11;20)":                           "1",
		"'day' + 1":                                          "2026-11-22",
		"MONTH('day')":                                       "11",
		"ROUND(2.5; 0)":                                      "3",
		"MAX('n', 3)":                                        "12",
	} {
		f, err := formula.Parse(source)
		require.NoError(t, err, source)
		got, err := f.Text(dayRow{row{f, cells}})
		require.NoError(t, err, source)
		assert.Equal(t, want, got, source)
	}
	for source, says := range map[string]string{
		"ROUND(2,5)":                         "a comma between digits may be a decimal sign",
		"'error' & \"x\"":                    "the cell holds the error #NV",
		"TEXT(5; \"QQ\")":                    "is no pattern",
		"TEXT(5; \"yyyyy\")":                 "is no pattern",
		"NUMBERVALUE(\"1.5\"; \",\")":        "is not a number with the signs",
		"NUMBERVALUE(\"1,2,3\"; \",\")":      "is not a number with the signs",
		"NUMBERVALUE(\"1,5.0\";\",\";\".\")": "is not a number with the signs",
		"2 ^ 0.5":                            "the root has no exact value",
	} {
		f, err := formula.Parse(source)
		if err == nil {
			_, err = f.Text(dayRow{row{f, cells}})
		}
		assert.ErrorContains(t, err, says, source)
	}
}
