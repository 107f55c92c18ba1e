// Package sample is for an auditor: how many lines must be counted, which ones, and what the result says about all of
// them. Lines are right or wrong; how many wrong ones a sample drawn without replacement holds follows the
// hypergeometric distribution (see, for one, Cochran, Sampling Techniques, 3rd edition, sections 3.4 to 3.6: exact
// confidence limits from the tails of that distribution). It knows nothing of what lines are.
package sample

import (
	"fmt"
	"math/big"
	"sort"
)

// precision is that of the probabilities, in bits: after a million products they are still right to eighty places, and no limit that people
// write lies so near to one.
const precision = 320

func number(n int64) *big.Float { return new(big.Float).SetPrec(precision).SetInt64(n) }

// AtMost is the probability that a sample of n out of all lines, of which some are wrong, holds at most so many wrong ones.
func AtMost(most, n, wrong, all int) *big.Float {
	sum := number(0)
	if most < 0 {
		return sum
	}
	least := max(0, n-(all-wrong)) // so many are in every sample
	if most >= min(n, wrong) {
		return number(1)
	}
	if most < least {
		return sum
	}
	// The first term is C(wrong, least) C(all-wrong, n-least) / C(all, n), as a product that stays within bounds.
	term := choose(least, n, wrong, all)
	sum.Set(term)
	for k := least; k < most; k++ {
		term.Mul(term, number(int64(wrong-k)))
		term.Mul(term, number(int64(n-k)))
		term.Quo(term, number(int64(k+1)))
		term.Quo(term, number(int64(all-wrong-n+k+1)))
		sum.Add(sum, term)
	}
	return sum
}

// choose is the probability that a sample of n holds just k wrong lines, where k is the least that it can hold.
func choose(k, n, wrong, all int) *big.Float {
	right := all - wrong
	p := number(1)
	if k == 0 { // right*(right-1)*… over all*(all-1)*…, or the same of the wrong ones, whichever is shorter
		if n <= wrong {
			for i := range n {
				p.Mul(p, number(int64(right-i)))
				p.Quo(p, number(int64(all-i)))
			}
			return p
		}
		for i := range wrong {
			p.Mul(p, number(int64(all-n-i)))
			p.Quo(p, number(int64(all-i)))
		}
		return p
	}
	// All right lines are in the sample, and k of the wrong ones: C(wrong, k) / C(all, n), with all-n = wrong-k.
	for i := range wrong - k {
		p.Mul(p, number(int64(wrong-i)))
		p.Quo(p, number(int64(all-i)))
	}
	return p
}

// Want is what a sample is to show.
type Want struct {
	Confidence int // per thousand: how sure the conclusion is to be
	Accuracy   int // per hundred thousand: what share of the lines is to be right at least
	Wrong      int // so many wrong lines in the sample are borne; mostly 0
}

// Check tells what keeps a wish from being fulfilled by any sample, in a sentence; "" where nothing does.
func (w Want) Check() string {
	switch {
	case w.Confidence < 500 || w.Confidence > 999:
		return "A confidence is between 50 and 99.9 %."
	case w.Accuracy < 1 || w.Accuracy >= 100_000:
		return "An accuracy lies between 0 and 100 %, both not included."
	case w.Wrong < 0:
		return "A number of wrong lines is not below zero."
	}
	return ""
}

// Size gives the least number of lines that must be drawn out of all, so that, where no more than the borne number of them is wrong, the
// share of right lines is above the accuracy with the confidence. A sample that cannot be smaller than the whole is the whole.
func (w Want) Size(all int) int {
	wrong := tooMany(w.Accuracy, all)
	if wrong > all {
		return all
	}
	limit := number(int64(1000 - w.Confidence))
	limit.Quo(limit, number(1000))
	return sort.Search(all, func(n int) bool { return AtMost(w.Wrong, n, wrong, all).Cmp(limit) <= 0 })
}

// tooMany is the least number of wrong lines with which the accuracy is not above the figure.
func tooMany(accuracy, all int) int {
	// right/all <= accuracy/100000
	right := int64(all) * int64(accuracy) / 100_000
	return all - int(right)
}

// Found is what a sample showed.
type Found struct {
	All, Drawn, Wrong int
}

// Interval gives the least and the largest number of wrong lines among all that agree with what was found, with a confidence per thousand,
// half of the rest on either side: the least with P(X >= found) above it, the largest with P(X <= found) above it.
func (f Found) Interval(confidence int) (least, largest int) {
	tail := number(int64(1000 - confidence))
	tail.Quo(tail, number(2000))
	spare := f.All - f.Drawn // lines that nobody saw
	// The more are wrong the less likely it is to find few of them.
	largest = f.Wrong + sort.Search(spare, func(more int) bool {
		return AtMost(f.Wrong, f.Drawn, f.Wrong+more+1, f.All).Cmp(tail) <= 0
	})
	one := number(1)
	least = f.Wrong + sort.Search(spare, func(more int) bool {
		p := new(big.Float).SetPrec(precision).Sub(one, AtMost(f.Wrong-1, f.Drawn, f.Wrong+more, f.All))
		return p.Cmp(tail) > 0
	})
	return least, largest
}

// Above tells whether what was found shows, with a confidence per thousand, that the accuracy is above a figure per hundred thousand.
func (f Found) Above(accuracy, confidence int) bool {
	wrong := tooMany(accuracy, f.All)
	if wrong > f.All {
		return true
	}
	if wrong < f.Wrong {
		return false
	}
	limit := number(int64(1000 - confidence))
	limit.Quo(limit, number(1000))
	return AtMost(f.Wrong, f.Drawn, wrong, f.All).Cmp(limit) <= 0
}

// source gives numbers from a seed: SplitMix64 (Steele, Lea, Flood: Fast splittable pseudorandom number generators,
// 2014), which is the same in every version of every program, so that a sample can be drawn again.
type source uint64

func (s *source) next() uint64 {
	*s += 0x9e3779b97f4a7c15
	z := uint64(*s)
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}

// below gives a number from 0 up and below n, each as likely.
func (s *source) below(n uint64) uint64 {
	for most := -n % n; ; { // what is left over at the low end would make some likelier
		if x := s.next(); x >= most {
			return x % n
		}
	}
}

// Draw draws n out of all lines by a seed, each as likely, and gives their positions in order.
func Draw(seed uint64, n, all int) []int {
	s := source(seed)
	if n >= all {
		n = all
	}
	// Floyd's algorithm: as many draws as lines.
	in := make(map[int]bool, n)
	for last := all - n; last < all; last++ {
		at := int(s.below(uint64(last + 1)))
		if in[at] {
			at = last
		}
		in[at] = true
	}
	out := make([]int, 0, n)
	for at := range in {
		out = append(out, at)
	}
	sort.Ints(out)
	return out
}

// DrawByWorth draws n out of all lines by a seed, each as likely as it is worth: the lines are laid end to end, each as
// long as its worth, and every step of the n-th part of the whole from a random beginning picks one. What is worth a
// step or more is always picked. Lines worth nothing are never picked; where the rest is fewer than n, it is all of
// them.
func DrawByWorth(seed uint64, n int, worth []int64) []int {
	left := make([]int, 0, len(worth))
	for i, w := range worth {
		if w > 0 {
			left = append(left, i)
		}
	}
	if n >= len(left) {
		return left
	}
	var out []int
	// What is longer than a step would be picked more than once: it is in, and the others are drawn from the rest.
	for n > 0 {
		sum := new(big.Int)
		for _, i := range left {
			sum.Add(sum, big.NewInt(worth[i]))
		}
		var rest []int
		for _, i := range left {
			if x := new(big.Int).Mul(big.NewInt(worth[i]), big.NewInt(int64(n))); x.Cmp(sum) >= 0 {
				out = append(out, i)
			} else {
				rest = append(rest, i)
			}
		}
		taken := len(left) - len(rest)
		if n -= taken; taken > 0 {
			left = rest
			continue
		}
		out = append(out, steps(seed, n, sum, left, worth)...)
		break
	}
	sort.Ints(out)
	return out
}

// steps picks every step of the nth part of the whole.
func steps(seed uint64, n int, sum *big.Int, left []int, worth []int64) (out []int) {
	s := source(seed)
	// In n-ths: a line is worth n times its worth long, a step is the whole.
	begin := new(big.Int).Mul(new(big.Int).SetUint64(s.next()), sum)
	begin.Rsh(begin, 64)
	at, end := begin, new(big.Int)
	for _, i := range left {
		end.Add(end, new(big.Int).Mul(big.NewInt(worth[i]), big.NewInt(int64(n))))
		if at.Cmp(end) < 0 {
			out = append(out, i)
			at.Add(at, sum)
		}
	}
	return out
}

// Percent writes a share of lines as a percentage with two places, rounded down: nobody is told more than is so.
func Percent(part, all int) string {
	if all == 0 {
		return ""
	}
	n := int64(part) * 10_000 / int64(all)
	return fmt.Sprintf("%d.%02d", n/100, n%100)
}

// Project gives what a value found in a sample comes to for all lines, if they are as those of the sample, rounded half
// away from zero; ok is false where it is out of range.
func Project(value int64, all, drawn int) (total int64, ok bool) {
	if drawn <= 0 {
		return 0, false
	}
	x := new(big.Int).Mul(big.NewInt(value), big.NewInt(int64(2*all)))
	if value < 0 {
		x.Sub(x, big.NewInt(int64(drawn)))
	} else {
		x.Add(x, big.NewInt(int64(drawn)))
	}
	x.Quo(x, big.NewInt(int64(2*drawn)))
	return x.Int64(), x.IsInt64()
}
