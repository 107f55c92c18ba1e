package outfile

import "slices"

// Ready gives the ready-made layouts, in the order in which they are offered. They are to be copied and changed.
func Ready() []Layout {
	key := []Column{{Header: "warehouse", Field: Warehouse}, {Header: "bin", Field: Bin}, {Header: "sku", Field: SKU, Needed: true},
		{Header: "lot", Field: Lot}, {Header: "serial", Field: Serial}, {Header: "holding", Field: Holding}, {Header: "record_id", Field: RecordID},
		{Header: "unit", Field: Unit}}
	worth := []Column{{Header: "unit_cost", Field: UnitCost}, {Header: "value", Field: Value}, {Header: "reason", Field: Reason}}
	with := func(columns ...Column) []Column { return slices.Concat(key, columns, worth) }
	return []Layout{
		{Name: "Signed differences", Columns: with(Column{Header: "quantity", Field: Difference})},
		{Name: "New balances", Columns: with(Column{Header: "quantity", Field: Balance})},
		{Name: "In and out", Columns: with(Column{Header: "quantity_in", Field: QuantityIn}, Column{Header: "quantity_out", Field: QuantityOut})},
		{Name: "What was counted", Columns: with(Column{Header: "quantity", Field: Counted}, Column{Header: "counted_at", Field: CountedAt},
			Column{Header: "counter", Field: Counter})},
		{Name: "Transfers", Transfers: "alone", FileName: "transfers", Columns: []Column{{Header: "warehouse", Field: Warehouse}, {Header: "from_bin", Field: Bin},
			{Header: "to_bin", Field: ToBin, Needed: true}, {Header: "sku", Field: SKU, Needed: true}, {Header: "lot", Field: Lot}, {Header: "serial", Field: Serial},
			{Header: "quantity", Field: Amount}, {Header: "direction", Field: Direction}, {Header: "unit", Field: Unit}}},
		{Name: "Opening balances", FileName: "opening-balances", Columns: []Column{{Header: "warehouse", Field: Warehouse}, {Header: "bin", Field: Bin},
			{Header: "sku", Field: SKU, Needed: true}, {Header: "lot", Field: Lot}, {Header: "serial", Field: Serial}, {Header: "quantity", Field: Balance},
			{Header: "balance_date", Field: PostingDate, Date: "YYYY-MM-DD", Needed: true}, {Header: "unit_cost", Field: UnitCost},
			{Header: "value", Formula: "IF('unit cost' = \"\"; \"\"; ROUND('new balance' * 'unit cost'; 2))"}, {Header: "account", Field: Account}}},
	}
}
