package field

// answers makes a table of words from the lists of those that mean the same.
func answers[T any](of map[string]T) map[string]T {
	out := map[string]T{}
	for list, is := range of {
		for _, w := range Words(list) {
			out[Squeeze(w)] = is
		}
	}
	return out
}

// What the words of columns that answer a question mean, squeezed, in the languages of the catalogue.
var (
	// Natures tells what sort of item it is: stocked, service or parent.
	Natures = answers(map[string]string{
		"stocked, stock, yes, y, true, 1, goods, product, inventory, item, variant, simple, stock item, physical, lagerware, lagerartikel, ware, ja, j, oui, " +
			"sí, si, stocké, marchandise, voorraad, voorraadartikel, existencias, artículo, mercancía": "stocked",
		"service, services, no, n, false, 0, non stock, non stocked, not stocked, labour, labor, nonstock, virtual, fee, dienstleistung, leistung, nein, non, " +
			"prestation, nee, dienst, servicio": "service",
		"parent, group, grouping, header, variant parent, template, configurable, parent item, vater, vaterartikel, oberartikel, modèle, hoofdartikel, padre": "parent",
	})
	// Truths tells whether something is so.
	Truths = answers(map[string]bool{
		"yes, y, true, 1, active, x, enabled, current, ja, j, aktiv, wahr, oui, o, vrai, actif, actief, waar, sí, si, s, activo, verdadero": true,
		"no, n, false, 0, inactive, discontinued, archived, disabled, obsolete, deleted, retired, nein, inaktiv, falsch, ausgelaufen, " +
			"non, faux, inactif, nee, inactief, onwaar, inactivo, falso": false,
	})
	// Trackings tells by what an item is tracked: lot, serial or nothing.
	Trackings = answers(map[string]string{
		"lot, lots, batch, batches, expiry, charge, chargen, partij, lote, lotes":                                                   "lot",
		"serial, serials, serial number, serial numbers, seriennummer, série, numéro de série, serienummer, serie, número de serie": "serial",
		"none, no, n, untracked, 0, false, not tracked, keine, nein, aucun, non, geen, nee, ninguno":                                "",
	})
)
