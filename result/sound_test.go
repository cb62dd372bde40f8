package result

import (
	"encoding/json"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestANumberThatIsNoneTakesNothingElseWithIt(t *testing.T) {
	t.Parallel()
	p := Parts{Best: &Design{Evaluation: 3, Values: map[string]float64{"mass": 2}}, Reached: []Reached{{Of: "mass", Value: math.NaN()}}, Spread: &Spread{Says: "two searches"}}
	encoded, err := p.Encode()
	require.NoError(t, err)
	back, err := Decode(encoded)
	require.NoError(t, err)
	assert.Equal(t, 3, back.Best.Evaluation)
	assert.Equal(t, "two searches", back.Spread.Says)
	assert.Nil(t, back.Reached)
	assert.Equal(t, []string{"reached"}, back.Unshown)
	assert.Len(t, p.Reached, 1, "the parts themselves stay")
	_, err = json.Marshal(p.Sound())
	assert.NoError(t, err)
}
