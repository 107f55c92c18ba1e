package countsim

import (
	"fmt"
	"testing"

	"wobin/internal/core/cause"
)

func TestTune(t *testing.T) {
	var all Score
	for seed := uint64(1); seed <= 3; seed++ {
		s, err := Judge(Make(seed, Usual))
		if err != nil {
			t.Fatal(err)
		}
		all.Add(s)
	}
	for _, c := range cause.Causes {
		n := all.Of[c]
		fmt.Printf("%-16s planted %5d right %5.1f%% (strong %5.1f%%) otherwise %4d unnamed %4d\n", c, n.Planted, 100*float64(n.Right)/float64(max(n.Planted, 1)), 100*float64(n.Strong)/float64(max(n.Planted, 1)), n.Otherwise, n.Unnamed)
	}
	a := all.All()
	fmt.Printf("all %.1f%% of %d; true %d explained %.1f%%\n", 100*float64(a.Right)/float64(a.Planted), a.Planted, all.Differ, 100*float64(all.Explained)/float64(all.Differ))
	for k, n := range all.Wrong {
		fmt.Println(n, k)
	}
}
