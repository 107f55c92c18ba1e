package intake

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What has several answers is nobody's to confirm: they differ in what they do.
func TestOnlyWhatHasOneAnswerIsConfirmed(t *testing.T) {
	one, other := CheckOption{Value: asItIs, Label: "It is right"}, CheckOption{Value: fromFile, Label: "As the file has it"}
	for _, x := range []struct {
		options []CheckOption
		is      bool
	}{{[]CheckOption{one}, true}, {[]CheckOption{one, other}, false}, {[]CheckOption{other}, false}, {nil, false}} {
		_, is := (&Check{Options: x.options}).Confirmation()
		assert.Equal(t, x.is, is, x.options)
	}
}
