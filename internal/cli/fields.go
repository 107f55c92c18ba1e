package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"wobin/internal/core/field"
	"wobin/internal/core/formula"
)

func (s *streams) fields() *cobra.Command {
	return &cobra.Command{
		Use:   "fields",
		Short: "Print the fields that files may have, with the headers that they go by (Markdown)",
		Args:  cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			writeFields(s.out)
			return nil
		},
	}
}

// writeFields writes the catalogue of fields, from which the screen and the reading are made, as a page.
func writeFields(w io.Writer) {
	fmt.Fprint(w, `# Files in: kinds, fields and the headers that they go by

Made from the program's own catalogue by `+"`wobin fields`"+`. Headers are compared without case, spaces and punctuation, in any order. Where a header says nothing, the values decide: known SKUs, bins, warehouses, barcodes. Headers under *asked about* are taken for the field and asked about; those under *if no other* count only where no other column fits. Any other column can be kept as an attribute of the item (`+"`item.NAME`"+`) or of the line (`+"`line.NAME`"+`).
`)
	for _, k := range field.Kinds {
		fmt.Fprintf(
			w,
			"\n## %s\n\n| field | is | headers | asked about | if no other |\n|---|---|---|---|---|\n",
			strings.ToUpper(string(k[:1]))+string(k[1:]),
		)
		for _, f := range field.Fields(k) {
			needed := ""
			if f.Required {
				needed = " **(needed)**"
			}
			fmt.Fprintf(
				w,
				"| `%s`%s | %s (%s) | %s | %s | %s |\n",
				f.Field,
				needed,
				f.About,
				f.Form,
				strings.Join(f.Words, ", "),
				strings.Join(f.Unclear, ", "),
				strings.Join(f.Weak, ", "),
			)
		}
	}
	fmt.Fprint(w, `
Instead of the SKU an item may be named by its further SKU, barcode, record id or name, where that is unique. On hand may be
left out where available and reserved are there: any two give the third.

## Formulas
A field can be worked out from columns, and rows filtered, by formulas of OpenFormula (OASIS ODF part 4): columns by their header in single quotes, as in `+"`'Boxes' * 12 + 'Singles'`"+`; the operators `+"`+ - * / ^ % & = <> < > <= >=`"+`; exact decimals; arguments parted by semicolons. Functions: `)
	names := formula.Functions()
	slices.Sort(names)
	fmt.Fprintf(w, "%s.\n", strings.Join(names, ", "))
}
