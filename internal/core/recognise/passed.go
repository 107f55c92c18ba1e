package recognise

import (
	"fmt"
	"slices"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/column"
	"wobin/internal/core/field"
	"wobin/internal/core/layout"
	"wobin/internal/core/problem"
	"wobin/internal/core/tabular"
)

// Parts of the words of headers that tell what a column may hold. Those of harmless ones say that it is something else: what is
// planned, sold or weighed changes no figure of stock.
var (
	figureParts = partsOf(
		"quantity, stock, hand, count, counted, recount, pieces, pcs, piece, each, eaches, ea, case, cases, cs, box, boxes, " +
			"carton, cartons, balance, physical, inventory, damaged, blocked, held, hold, quarantine, inspection, faulty, broken, reserved, allocated, " +
			"available, committed, free, bestand, menge, gesperrt, beschädigt, quantité, bloqué, voorraad, aantal, geblokkeerd, cantidad, existencias, bloqueado",
	)
	placeParts = partsOf(
		"bin, location, warehouse, sublocation, shelf, rack, aisle, bay, level, slot, zone, area, site, depot, store, branch, position, " +
			"room, from, to, lager, lagerort, lagerplatz, regal, fach, ebene, emplacement, entrepôt, magazijn, locatie, schap, almacén, ubicación, estante",
	)
	identityParts = partsOf(
		"lot, batch, serial, sku, item, article, product, part, variant, barcode, ean, gtin, owner, condition, grade, " +
			"charge, seriennummer, artikelnummer, lote, serie, partij, variante",
	)
	statusParts   = partsOf("status, state, blocked, zustand, estado, statut")
	timeParts     = partsOf("date, time, timestamp, datum, zeit, uhrzeit, fecha, hora, heure, tijd")
	harmlessParts = partsOf(
		"reorder, min, minimum, max, maximum, order, ordered, orders, incoming, inbound, expected, safety, target, par, forecast, " +
			"demand, price, msrp, rrp, sales, sale, sold, selling, retail, weight, volume, length, width, height, depth, dimension, dimensions, last, next, " +
			"created, updated, modified, lead, supplier, vendor, customer, manufacturer, brand, default, preferred, suggested, value, amount, url, image, hs, " +
			"tariff, country, origin, class, group, category, days, age, turnover, rank, page, user, tax, vat, margin, markup, currency, rate, account, gl, " +
			"type, name, description, comment, comments, note, notes, remark, remarks, touched, title, text, id, key, difference, variance, diff, system, " +
			"packs, pack, label, opened, expiry, expires, best, colour, color, size, mindestbestand, meldebestand, höchstbestand, preis, prix, prijs, precio, " +
			"gewicht, poids, peso, pedido, bestellt, discount, percent, percentage, score, points, index, seq, sequence, sort, priority, version, revision, " +
			"life, temperature, capacity, cover, moq, multiple, running, cumulative, before, after, hazard, year, month, week, " +
			"phone, zip, postcode, latitude, longitude, rating, warranty, duty, commodity, lfd, nr, pos, line, row",
	)
	unitCostParts = partsOf("cost, costs, kosten, einstand, einstandspreis, coût, coste, costo, kostprijs")
	valueParts    = partsOf("total, value, amount, extended, sum, line, last, next, freight, shipping, labour, standard, budget, group, center, centre, account, type")
	defaultParts  = partsOf("default, preferred, standard, usual")
	groupParts    = partsOf("group, series, family, class, prefix, range, line, model")
	priceParts    = partsOf("price, preis, prix, prijs, precio, rrp, msrp")
	costParts     = partsOf("cost, purchase, buying, einkauf, ek, einstand, achat, inkoop, coste, compra, standard, average")
)

func partsOf(list string) []string {
	var out []string
	for _, w := range field.Words(list) {
		out = append(out, field.Parted(w)...)
	}
	return out
}

// HasPart tells whether one of the header's parts is in a list.
func HasPart(parts, list []string) bool {
	return slices.ContainsFunc(parts, func(p string) bool { return slices.Contains(list, p) })
}

// sense is what a column that nothing was made of looks like.
type sense string

const (
	aFigure    sense = "figures"
	aPlace     sense = "places"
	anIdentity sense = "what tells items apart"
	aCost      sense = "costs"
	aTime      sense = "times"
	noName     sense = "something without a name"
)

// senseOf tells what a column that is passed over looks like by its header and what it holds; "" where it can be passed over
// without a word.
func (m *Mapping) senseOf(i int, x *contents) sense {
	if x.filled == 0 || m.aside(i) {
		return ""
	}
	parts := field.BareParts(m.Columns[i].Header + " " + m.overhead(i))
	numeric := x.numeric*10 >= x.filled*9
	switch {
	case len(parts) == 0 && !m.NoHeader, m.NoHeader && numeric:
		return noName
	case m.NoHeader:
		return ""
	}
	switch {
	case m.Kind == field.Places:
		if numeric && !HasPart(parts, harmlessParts) {
			return aFigure
		}
		if HasPart(parts, placeParts) && !HasPart(parts, harmlessParts) {
			return aPlace
		}
		return ""
	case HasPart(parts, defaultParts) && HasPart(parts, placeParts) && m.At(field.Bin) < 0 && m.Kind != field.Items:
		return aPlace
	case HasPart(parts, groupParts) && m.At(field.SKU) >= 0 && m.Columns[m.At(field.SKU)].weak && m.Kind != field.Items:
		return anIdentity
	case HasPart(parts, unitCostParts) && numeric && (m.Kind == field.Stock || m.Kind == field.Items) && !m.Has(field.UnitCost) &&
		!HasPart(parts, valueParts):
		return aCost
	case HasPart(parts, harmlessParts):
	case HasPart(parts, figureParts) && x.numeric*2 > x.filled:
		return aFigure
	case x.numeric*10 >= x.filled*9 && x.numbers > 0 && m.Kind != field.Items && !x.counter && !IsTotal(m.Columns[i].Header):
		return aFigure // nobody knows what it is, and it is a figure
	case HasPart(parts, placeParts) && m.Kind != field.Items:
		return aPlace
	case HasPart(parts, identityParts) && m.Kind != field.Items:
		return anIdentity
	case HasPart(parts, statusParts) && m.Kind == field.Stock && len(x.values) > 1 && len(x.values) <= 12:
		return anIdentity
	case HasPart(parts, timeParts) && (m.Kind == field.Counts && m.At(field.CountedAt) < 0 || m.Kind == field.Movements && m.At(field.At) < 0):
		return aTime
	}
	return ""
}

// overhead is what stands right above the header of a column, in a row that is no part of the header.
func (m *Mapping) overhead(column int) string {
	if column == 0 || column >= len(m.head.over) {
		return ""
	}
	return m.head.over[column]
}

// askPassed asks about columns that are passed over though they look like figures, places, times, or what tells items apart.
func (m *Mapping) askPassed(s *sample) {
	if m.Part {
		return
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field != "" || c.settled || m.used(i) || m.asked(i) {
			continue
		}
		x := s.column(m, i)
		if f := m.below(i); f != "" && x.filled > 0 {
			m.Asks = append(m.Asks, Ask{What: "group", Column: tabular.ColumnName(i), Field: f, Example: s.example(m, i),
				Text: fmt.Sprintf("Column %s reads as %s, and what stands above it makes %q of it. Is it the %s all the same?", tabular.ColumnName(i),
					strings.ToLower(Title(m.Kind, f)), code.Trim(c.Header), strings.ToLower(Title(m.Kind, f))),
				Options: append([]Option{m.itIs(f, i)}, m.kept(i)...)})
			continue
		}
		is := m.senseOf(i, x)
		if is == "" || m.repeats(s, i) {
			continue
		}
		name := fmt.Sprintf("Column %s, %q,", tabular.ColumnName(i), code.Trim(c.Header))
		if m.NoHeader || code.Trim(c.Header) == "" {
			name = fmt.Sprintf("Column %s", tabular.ColumnName(i))
		}
		looks := fmt.Sprintf("looks like %s and is passed over", is)
		if is == noName {
			looks = "has no name and is passed over"
		}
		m.Asks = append(m.Asks, Ask{
			What: "passed over", Column: tabular.ColumnName(i), Example: s.example(m, i),
			Text:    fmt.Sprintf("%s %s, such as %s. What is it?", name, looks, s.example(m, i)),
			Options: append(m.mayBe(i, is), m.kept(i)...),
		})
	}
}

// below is the field that a column's own name means, below a group that makes something else of it; "" where there is none, or the field
// comes from elsewhere.
func (m *Mapping) below(column int) field.Field {
	if column >= len(m.head.under) || m.head.under[column] == "" {
		return ""
	}
	h := field.NewHeading(m.head.under[column])
	for _, sp := range field.Fields(m.Kind) {
		if !m.Has(sp.Field) && (h.Nearly(sp.AsWords) || h.Squeezed == field.Squeeze(string(sp.Field))) {
			return sp.Field
		}
	}
	return ""
}

// used tells whether a formula or the filter works with a column.
func (m *Mapping) used(at int) bool {
	names := func(labels []column.Label) bool {
		return slices.ContainsFunc(labels, func(l column.Label) bool { return l.Column == at })
	}
	for _, src := range m.Sources {
		if names(src.Labels) {
			return true
		}
	}
	return m.Filter != nil && names(m.Filter.Labels)
}

// asked tells whether there is a question about a column, or one that offers it, already.
func (m *Mapping) asked(column int) bool {
	if slices.Contains(m.offered, column) {
		return true
	}
	letter := tabular.ColumnName(column)
	return slices.ContainsFunc(m.Asks, func(a Ask) bool {
		return a.Column == letter || slices.ContainsFunc(a.Options, func(o Option) bool {
			return o.Set.Column == letter || o.Set.Formula != "" && strings.Contains(o.Set.Formula, m.Label(column))
		})
	})
}

// repeats tells whether a column says in every row what a column that is taken says.
func (m *Mapping) repeats(s *sample, column int) bool {
	cell := func(row []string, i int) string {
		if i < len(row) {
			return row[i]
		}
		return ""
	}
	return slices.ContainsFunc(m.Columns, func(c Column) bool {
		if c.Field == "" {
			return false
		}
		for n, row := range s.rows {
			if s.numbers[n] > m.HeaderRow && cell(row, column) != cell(row, c.Index) {
				return false
			}
		}
		return true
	})
}

// example gives the first value of a column.
func (s *sample) example(m *Mapping, column int) string {
	for i, row := range s.rows {
		if s.numbers[i] > m.HeaderRow && column < len(row) && row[column] != "" {
			return problem.Short([]byte(row[column]))
		}
	}
	return ""
}

// mayBe gives what a column may be, as answers.
func (m *Mapping) mayBe(i int, is sense) (out []Option) {
	here := m.Label(i)
	may := func(label string, f field.Field) {
		if field.SpecOf(m.Kind, f) != nil && m.At(f) < 0 && !m.Has(f) {
			out = append(out, Option{Label: label, Set: layout.Choice{Field: f}})
		}
	}
	behind := func(f field.Field, at int) layout.Choice { // a code of two parts
		return layout.Choice{Field: f, Formula: fmt.Sprintf("IF(%s = \"\"; %s; %s & \"-\" & %s)", here, m.Label(at), m.Label(at), here)}
	}
	total := map[field.Kind]field.Field{field.Stock: field.Quantity, field.Counts: field.Counted, field.Movements: field.Quantity}[m.Kind]
	switch is {
	case aFigure, noName:
		if m.Kind == field.Items {
			return []Option{{Label: "It is what is on hand: the file is recorded stock", File: layout.Layout{Kind: field.Stock}}}
		}
		if m.Kind == field.Places {
			return nil
		}
		may("It is the quantity", total)
		may("It is reserved, and part of what is on hand", field.Reserved)
		if at := m.At(total); at >= 0 {
			there := m.Label(at)
			out = append(out, Option{Label: fmt.Sprintf("It is to be added to column %s", tabular.ColumnName(at)),
				Set: layout.Choice{Field: total, Formula: there + " + " + here}},
				Option{Label: fmt.Sprintf("It counts in place of column %s where it is filled in", tabular.ColumnName(at)),
					Set: layout.Choice{Field: total, Formula: fmt.Sprintf("IF(%s = \"\"; %s; %s)", here, there, here)}})
		}
		if is == noName {
			may("It is the unit cost", field.UnitCost)
		}
	case aPlace:
		may("It is the bin", field.Bin)
		may("It is the zone", field.Zone)
		may("It is the warehouse", field.Warehouse)
		if at := m.At(field.Bin); at >= 0 {
			out = append(
				out,
				Option{
					Label: fmt.Sprintf("It is the second part of the bin in column %s", tabular.ColumnName(at)),
					Set:   behind(field.Bin, at),
				},
				Option{
					Label: fmt.Sprintf("It is the bin, and column %s is not", tabular.ColumnName(at)),
					Set:   layout.Choice{Field: field.Bin},
				},
			)
		}
	case anIdentity:
		may("It is the lot", field.Lot)
		may("It is the serial", field.Serial)
		may("It is how the goods are held (own, consigned, blocked)", field.Holding)
		may("It is a second code of the item", field.FurtherSKU)
		if at := m.At(field.SKU); at >= 0 {
			out = append(
				out,
				Option{Label: fmt.Sprintf("It is part of the SKU, behind column %s", tabular.ColumnName(at)), Set: behind(field.SKU, at)},
				Option{
					Label: fmt.Sprintf("It is the SKU, and column %s is not", tabular.ColumnName(at)),
					Set:   layout.Choice{Field: field.SKU},
				},
			)
		}
	case aCost:
		may("It is what a unit costs", field.UnitCost)
	case aTime:
		may("It is when it was counted", field.CountedAt)
		may("It is when it happened", field.At)
	}
	return out
}

// kept are the answers that leave a column what it is.
func (m *Mapping) kept(i int) (out []Option) {
	letter := tabular.ColumnName(i)
	if name := code.Trim(m.Columns[i].Header); m.Kind == field.Stock && name != "" && !m.NoHeader {
		out = append(
			out,
			Option{
				Label: "Keep it beside the line, as it is",
				Set:   layout.Choice{Column: letter, Field: field.Field(field.LineAttribute + name)},
			},
		)
	}
	return append(out, Option{Label: "It is not needed", Set: layout.Choice{Column: letter, Field: field.PassedOver}})
}

// askPrice asks whether a price is what the item costs: a selling price is no cost.
func (m *Mapping) askPrice() {
	at := m.At(field.UnitCost)
	if at < 0 || m.Columns[at].settled || m.NoHeader {
		return
	}
	if parts := field.Parted(m.Columns[at].Header); !HasPart(parts, priceParts) || HasPart(parts, costParts) {
		return
	}
	letter := tabular.ColumnName(at)
	m.Asks = append(m.Asks, Ask{What: "cost or price", Column: letter, Field: field.UnitCost,
		Text: fmt.Sprintf("Column %s is headed %q. Is it what a unit costs, or what it is sold for?", letter, m.Columns[at].Header),
		Options: []Option{
			{Label: "It is what a unit costs", Set: layout.Choice{Column: letter, Field: field.UnitCost}},
			{Label: "It is a selling price; the cost is not known", Set: layout.Choice{Column: letter, Field: field.PassedOver}},
		}})
}
