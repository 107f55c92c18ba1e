package house_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wobin/internal/desk/intake"
)

// Files that are looked at at the same time stand on the same records, and none sees what another one would change of them.
func TestLookedAtAtOnce(t *testing.T) {
	d := at(t)
	take(t, d, "stock.csv", stockText)
	files := map[string]string{
		"places.csv": "warehouse,zone,bin\nW,Moved,A-1-1\nW,Front,NEW-1\nX,,Q-1\n",
		"stock.csv":  "warehouse,zone,bin,sku,on hand,as at\nW,Front,NEW-1,ROPE,1,2026-11-22T06:00:00Z\nW,Back,B-1-1,NEW,2,2026-11-22T06:00:00Z\n",
		"items.csv":  "sku,description,unit,barcode\nROPE,Rope,m,4006381333931\nNEW,New,ea,\nOTHER,Other,ea,\n",
		"odd.csv":    "warehouse,bin,sku,on hand,as at\nW,a-1-1,rope,3,2026-11-22T06:00:00Z\n",
		"moves.csv":  "warehouse,bin,sku,quantity,at,reference\nW,A-1-1,ROPE,-1,2026-11-22T08:00:00Z,r1\n",
	}
	seen := func(name string) string {
		dr, err := d.Intake.Upload(ctx, nell, name, strings.NewReader(files[name]), intake.Choices{Zone: "UTC"})
		if err != nil {
			return err.Error()
		}
		return fmt.Sprintf("%+v %q %+v", dr.Effect.Made, dr.Blocked, effect(dr))
	}
	alone := map[string]string{}
	for name := range files {
		alone[name] = seen(name)
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	for range 6 {
		for name := range files {
			all.Go(func() {
				is := seen(name)
				mu.Lock()
				defer mu.Unlock()
				assert.Equal(t, alone[name], is, name)
			})
		}
	}
	all.Wait()
	// Once something of it is taken in, all others are held against what is so now.
	dr := look(t, d, "places.csv", files["places.csv"], intake.Choices{})
	takeDraft(t, d, dr)
	require.NotEqual(t, alone["places.csv"], seen("places.csv"))
	assert.Equal(t, alone["moves.csv"], seen("moves.csv"))
}
