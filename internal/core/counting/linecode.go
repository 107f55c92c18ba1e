package counting

import (
	"strconv"
	"strings"

	"wobin/internal/core/code"
	"wobin/internal/core/stock"
)

// Sheets that are cut from files alone have no count behind them that could number their rows. Their row codes are an L, a
// digest of the line's key, and a check character: whoever has the recorded stock works them out again, whatever the order of its rows.

// ShortestDigest and LongestDigest bound how many characters of a digest a row code holds.
const (
	ShortestDigest = 5
	LongestDigest  = 12
)

// LineCode is the row code of a line by so many characters of its digest.
func LineCode(digest uint64, length int) string { return code.WithCheck("L" + digits(digest, length)) }

// digits writes the lowest digits of a digest to the base of 32, without the letters that are read as digits or as one another.
func digits(digest uint64, length int) string {
	const of = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
	b := make([]byte, length)
	for i := range b {
		b[i] = of[digest&31]
		digest >>= 5
	}
	return string(b)
}

// Digest is the digest of a line's key: 64 bits of FNV-1a over its codes, mixed by the finaliser of MurmurHash3, since codes that
// differ in their last sign alone differ little by FNV-1a.
func Digest(key *[stock.Parts]string) uint64 {
	h := uint64(14695981039346656037)
	for _, text := range key {
		for i := 0; i < len(text); i++ {
			h = (h ^ uint64(text[i])) * 1099511628211
		}
		h = (h ^ 0x1f) * 1099511628211
	}
	h = (h ^ h>>33) * 0xff51afd7ed558ccd
	h = (h ^ h>>33) * 0xc4ceb9fe1a85ec53
	return h ^ h>>33
}

// DigestLength is the least length, from ShortestDigest, at which no two digests are alike.
func DigestLength(digests []uint64) int {
	for length := ShortestDigest; length < LongestDigest; length++ {
		of := uint64(1) << (5 * length)
		seen, twice := make(map[uint64]struct{}, len(digests)), false
		for _, d := range digests {
			if _, twice = seen[d%of]; twice {
				break
			}
			seen[d%of] = struct{}{}
		}
		if !twice {
			return length
		}
	}
	return LongestDigest
}

// ParseLineCode gives the digits of a row code of a sheet that was cut from files alone; ok is false where it is none.
func ParseLineCode(s string) (digits string, ok bool) {
	s = strings.ToUpper(code.Trim(s))
	n := len(s) - 2
	if n < ShortestDigest || n > LongestDigest || s[0] != 'L' || !code.Checked(s) || strings.ContainsAny(s, "- ") {
		return "", false
	}
	return s[1 : len(s)-1], true
}

// Proof finds lines by the row codes of sheets that were cut from files alone.
type Proof struct {
	digests  []uint64
	byLength map[int]map[string]int32 // line + 1; 0 where several have it
}

// NewProof makes one over lines, whose keys are asked for one after the other.
func NewProof(n int, key func(line int) *[stock.Parts]string) *Proof {
	p := &Proof{digests: make([]uint64, n), byLength: map[int]map[string]int32{}}
	for i := range p.digests {
		p.digests[i] = Digest(key(i))
	}
	return p
}

// Line gives the line of a row code's digits; ok is false where there is none, or more than one.
func (p *Proof) Line(of string) (line int, ok bool) {
	by := p.byLength[len(of)]
	if by == nil {
		by = make(map[string]int32, len(p.digests))
		for i, d := range p.digests {
			s := digits(d, len(of))
			if _, had := by[s]; had {
				by[s] = 0
			} else {
				by[s] = int32(i + 1)
			}
		}
		p.byLength[len(of)] = by
	}
	n := by[of]
	return int(n) - 1, n > 0
}

// FileSheetCode is the code of a sheet that was cut from files alone: an F, four characters of the digest of all lines, the sheet's number
// behind an S, and a check character.
func FileSheetCode(all uint64, sheet int) string {
	return code.WithCheck("F" + digits(all, 4) + "S" + strconv.Itoa(sheet))
}
