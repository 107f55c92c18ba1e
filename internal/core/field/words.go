package field

import (
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
)

// Languages are those that the catalogue's words are in, beside English.
var Languages = []string{"German", "French", "Dutch", "Spanish"}

// foreign are the words of the catalogue in these languages, in their order, by field. Words that a field shares with others in
// its language stand behind a question mark: they count where no other column fits better.
var foreign = map[Field][4]string{
	Warehouse: {
		"lager, lagerort, lagernummer, standort, filiale, niederlassung", "entrepôt, code entrepôt, dépôt, magasin",
		"magazijn, magazijncode, filiaal, vestiging", "almacén, código de almacén, bodega, depósito, sucursal",
	},
	Zone: {"lagerbereich, bereich", "secteur", "gebied", "zona"},
	Bin: {
		"lagerplatz, lagerfach, stellplatz, regalplatz, fach, ?platz", "emplacement, casier, code emplacement",
		"opslaglocatie, magazijnlocatie, vak, ?locatie", "ubicación, estante, casilla, ?posición",
	},
	SKU: {
		"artikelnummer, artikelnr, artikel nr, artnr, art nr, artikel, artikelcode, materialnummer, teilenummer, produktnummer, sachnummer",
		"code article, référence article, réf article, no article, numéro article, code produit, ?référence, ?article",
		"artikelnummer, artikelnr, artikelcode, productcode, artikel",
		"código de artículo, código artículo, código de producto, código producto, artículo, ?código, ?referencia",
	},
	Lot: {
		"chargennummer, charge, chargennr, los, losnummer",
		"numéro de lot, no de lot, code lot",
		"partij, partijnummer, batchnummer",
		"lote, número de lote, código de lote",
	},
	Serial:  {"seriennummer, seriennr", "numéro de série, no de série", "serienummer, serienr", "número de serie, n serie"},
	Holding: {"bestandsart, eigentümer", "propriétaire, statut de stock", "eigenaar, voorraadsoort", "propietario"},
	Description: {
		"bezeichnung, artikelbezeichnung, benennung, beschreibung, artikelname",
		"désignation, libellé, libellé article",
		"omschrijving, artikelomschrijving, ?naam",
		"descripción, denominación, nombre, nombre del artículo",
	},
	Unit: {
		"einheit, mengeneinheit, basiseinheit, ?me",
		"unité, unité de mesure, unité de stock",
		"eenheid, basiseenheid",
		"unidad, unidad de medida, unidad base",
	},
	Quantity: {
		"bestand, lagerbestand, buchbestand, bestandsmenge, menge, stückzahl, ?anzahl",
		"quantité en stock, quantité, qté, qté en stock, qté stock, stock physique",
		"voorraad, aantal, hoeveelheid, aantal op voorraad, technische voorraad",
		"existencias, existencia, cantidad, cantidad en existencia, cantidad en stock, stock físico",
	},
	Reserved: {
		"reserviert, reservierte menge",
		"réservé, quantité réservée, qté réservée",
		"gereserveerd",
		"reservado, cantidad reservada",
	},
	Available: {
		"verfügbar, verfügbare menge, freier bestand",
		"disponible, quantité disponible, stock disponible",
		"beschikbaar, vrije voorraad",
		"disponible, cantidad disponible",
	},
	UnitCost: {
		"einstandspreis, ek preis, einkaufspreis, stückkosten, bewertungspreis",
		"coût unitaire, coût, prix de revient, prix d'achat",
		"kostprijs, inkoopprijs",
		"coste unitario, coste, costo unitario, costo, precio de coste",
	},
	RecordedAt: {
		"stichtag, bestandsdatum, ?datum",
		"date de stock, date d'inventaire, ?date",
		"peildatum, ?datum",
		"fecha de existencias, ?fecha",
	},
	Recorded: {
		"sollbestand, buchbestand, sollmenge, buchmenge",
		"stock théorique, quantité théorique",
		"technische voorraad, boekvoorraad",
		"existencia teórica, cantidad teórica",
	},
	Counted: {
		"gezählt, zählmenge, gezählte menge, istmenge, istbestand, ?menge", "compté, quantité comptée, qté comptée, ?quantité, ?qté",
		"geteld, geteld aantal, getelde hoeveelheid, ?aantal", "contado, cantidad contada, ?cantidad",
	},
	CountedAt: {
		"gezählt am, zähldatum, zählzeit",
		"compté le, date de comptage",
		"geteld op, teldatum",
		"contado el, fecha de recuento, fecha de conteo",
	},
	Counter: {"zähler, gezählt von", "compteur, compté par", "teller, geteld door", "contador, contado por"},
	Remark:  {"bemerkung, bemerkungen", "remarque, commentaire", "opmerking, opmerkingen", "observación, observaciones"},
	At: {
		"buchungsdatum, gebucht am, bewegungsdatum, ?datum",
		"date du mouvement, date de mouvement, ?date",
		"boekdatum, mutatiedatum, ?datum",
		"fecha de movimiento, fecha del movimiento, ?fecha",
	},
	Reference: {
		"beleg, belegnummer, belegnr",
		"pièce, numéro de pièce",
		"boekstuk, boekstuknummer, documentnummer",
		"documento, número de documento",
	},
	Category: {
		"warengruppe, artikelgruppe, kategorie",
		"catégorie, famille, groupe",
		"artikelgroep, categorie, groep",
		"categoría, familia, grupo",
	},
	Active:  {"aktiv", "actif", "actief", "activo"},
	Barcode: {"strichcode", "code barres, code à barres", "streepjescode", "código de barras"},
}

// speak adds the foreign words of a field. "verfügbar" is written "verfuegbar" too.
func (s *Spec) speak() {
	for _, list := range foreign[s.Field] {
		for _, w := range Words(list) {
			weak := strings.HasPrefix(w, "?")
			w = strings.TrimPrefix(w, "?")
			for _, spelled := range []string{w, strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue").Replace(w)} {
				is := NewHeading(spelled)
				if weak {
					s.AsWeak = append(s.AsWeak, is)
				} else {
					s.AsWords = append(s.AsWords, is)
				}
			}
		}
	}
}

// Heading is a header as it is compared: its letters and digits, and the parts of its words with and without what stands in
// brackets.
type Heading struct {
	Squeezed string
	// Qualified is what stands in brackets, where it may change what the column is: "ordered" of "Qty (ordered)". A unit, a currency or
	// a remark on the form of the cells changes nothing.
	Qualified string
	parts     string // canonical parts in order, joined by spaces
	bare      string // the same without what stands in brackets
}

// made are those headings that were made last: one table's headers are compared with the words of every kind, row after row.
var made struct {
	sync.Mutex
	of map[string]Heading
}

// keptHeadings is how many of them are kept, of at most so many bytes.
const keptHeadings, longestKept = 16 << 10, 100

// NewHeading makes of a header what it is compared by.
func NewHeading(text string) Heading {
	if len(text) > longestKept {
		return newHeading(text)
	}
	made.Lock()
	h, had := made.of[text]
	made.Unlock()
	if had {
		return h
	}
	h = newHeading(text)
	made.Lock()
	defer made.Unlock()
	if made.of == nil || len(made.of) >= keptHeadings {
		made.of = map[string]Heading{}
	}
	made.of[strings.Clone(text)] = h
	return h
}

// longestHeader is how much of a text is looked at as a header, in bytes.
const longestHeader = 1000

func newHeading(text string) Heading {
	if len(text) > longestHeader {
		text = strings.ToValidUTF8(text[:longestHeader], "")
	}
	h := Heading{Squeezed: Squeeze(text), parts: strings.Join(Parted(text), " "), bare: strings.Join(BareParts(text), " ")}
	if in := brackets.FindString(text); in != "" && h.bare != "" {
		in = strings.Trim(in, "()[]{} ")
		for _, part := range Parted(in) {
			if !slices.Contains(qualifiers, part) {
				h.Qualified = in
			}
		}
	}
	return h
}

// qualifiers are parts of words in brackets that change nothing: units, currencies, and how cells are written.
var qualifiers = func() (out []string) {
	for _, w := range Words("ea, each, eaches, pcs, pc, piece, pieces, st, stk, stück, stuks, unidad, unité, unit, base, own, m, metre, meter, cm, mm, kg, g, l, lt, " +
		"ltr, litre, liter, eur, usd, gbp, chf, sek, nok, dkk, cad, aud, local, currency, lcy, net, s, no, code, id, text, optional, required, mandatory, " +
		"if any, y, yes, yyyy, mm, dd, hh, ss, utc, cet, gmt, time, iso, number, name, physical, on hand, current, main, internal, intern, unique, own, short, long, full, master, sku, bin, warehouse, quantity, pflicht") {
		out = append(out, Parted(w)...)
	}
	return out
}()

func headings(list []string) []Heading {
	out := make([]Heading, len(list))
	for i, w := range list {
		out[i] = NewHeading(w)
	}
	return out
}

// Exactly tells whether a header is one of the words, letter by letter.
func (h Heading) Exactly(list []Heading) bool {
	return h.Squeezed != "" && slices.ContainsFunc(list, func(w Heading) bool { return w.Squeezed == h.Squeezed })
}

// Nearly tells whether a header is one of the words, whatever the order and the form of its parts, and without what stands in
// brackets and changes nothing: "Quantity on hand (EA)" is "on hand qty", and "Qty (ordered)" is not.
func (h Heading) Nearly(list []Heading) bool {
	return slices.ContainsFunc(list, func(w Heading) bool {
		return w.Squeezed == h.Squeezed || w.parts != "" && (w.parts == h.parts || w.parts == h.bare && h.Qualified == "")
	})
}

// Loosely tells the same, whatever stands in brackets.
func (h Heading) Loosely(list []Heading) bool {
	h.Qualified = ""
	return h.Nearly(list)
}

var (
	brackets = regexp.MustCompile(`[(\[{][^)\]}]*[)\]}]?`)
	humps    = regexp.MustCompile(`(\p{Ll})(\p{Lu})`)
	onHandAs = regexp.MustCompile(`(?i)\bo/h\b|\bonhand\b`)
)

// same are parts of words that mean the same, as they stand in headers.
var same = map[string]string{
	"qty": "quantity", "qte": "quantity", "quant": "quantity", "quantities": "quantity", "whse": "warehouse", "wh": "warehouse", "whs": "warehouse",
	"loc": "location", "locn": "location", "descr": "description", "desc": "description", "nr": "no", "num": "no", "number": "no",
	"numbers": "no", "nos": "no", "numero": "no", "prod": "product", "avg": "average", "std": "standard", "amt": "amount", "cnt": "count",
	"phys": "physical", "avail": "available", "alloc": "allocated", "sys": "system", "units": "unit", "uom": "unit", "items": "item",
	"products": "product", "bins": "bin", "locations": "location", "serials": "serial", "lots": "lot", "batches": "batch", "costs": "cost", "inventory": "stock",
}

var fillers = []string{"the", "of", "a", "an", "de", "du", "des", "del", "d", "l", "van", "lcy"}

// Parted gives the canonical parts of a header's words, in order, each once.
func Parted(text string) []string {
	text = humps.ReplaceAllString(onHandAs.ReplaceAllString(strings.ReplaceAll(text, "#", " no "), " on hand "), "$1 $2")
	var out []string
	for _, w := range strings.FieldsFunc(folded(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if s := same[w]; s != "" {
			w = s
		}
		if !slices.Contains(fillers, w) && !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	slices.Sort(out)
	return out
}

// folded gives a text in small letters without accents.
func folded(s string) string {
	return strings.Map(func(r rune) rune {
		r = unicode.ToLower(r)
		if r < 0x80 {
			return r
		}
		if plain, ok := plainLetters[r]; ok {
			return plain
		}
		return r
	}, s)
}

var plainLetters = func() map[rune]rune {
	out := map[rune]rune{'°': 'o', 'º': 'o', 'ª': 'a'}
	for plain, letters := range map[rune]string{
		'a': "àáâãäå", 'c': "ç", 'e': "èéêë", 'i': "ìíîï", 'n': "ñ", 'o': "òóôõöø", 'u': "ùúûü", 'y': "ýÿ",
	} {
		for _, r := range letters {
			out[r] = plain
		}
	}
	return out
}()

// Squeeze leaves the letters and digits of a header, in small letters without accents.
func Squeeze(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return r
		}
		return -1
	}, folded(s))
}

// BareParts gives the parts of a header without what stands in brackets.
func BareParts(header string) []string { return Parted(brackets.ReplaceAllString(header, " ")) }
