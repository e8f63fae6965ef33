package geo

import (
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Coordinates are written as the general way writes them, to the last character.
func TestDegreesAreWrittenAsAnyNumberIs(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	check := func(v float64) {
		require.Equal(t, strconv.FormatFloat(v, 'f', -1, 64), string(AppendDegrees(nil, v)))
	}
	for _, v := range []float64{0, 1, -1, 180, -180, 0.1, -0.1, 1e-7, -1e-7, 10, 100, 0.5, -38.0512, 1e-9,
		12.12345678901,
		-26.1034, 89.9999999, 0.0000001, 100.0000001, 120, 1e20} {
		check(v)
	}
	for range 200_000 {
		check(float64(r.Int32N(2_000_000_001)-1_000_000_000) / 1e7)
		check(float64(r.IntN(3600)-1800) / 10)
	}
	check(r.Float64())
}

func TestRoundedNumbers(t *testing.T) {
	for v, want := range map[float64]string{0: "0", 1: "1", 0.1: "0.1", 1e-10: "0", 123.4567891234: "123.456789123",
		359.9999999999: "360", 1234567.12345678: "1234567.123457", 2e7: "20000000", -0.5: "-0.5", 1e12: "1000000000000",
		10: "10", 1000000: "1000000"} {
		assert.Equal(t, want, string(AppendRounded(nil, v)), v)
	}
	r := rand.New(rand.NewPCG(8, 8))
	for range 100_000 {
		v := math.Pow(10, 16*r.Float64()-8)
		got, err := strconv.ParseFloat(string(AppendRounded(nil, v)), 64)
		require.NoError(t, err)
		require.InDelta(t, v, got, math.Max(5.1e-7, v*1e-15))
	}
}

func BenchmarkAppendDegrees(b *testing.B) {
	var dst [64]byte
	for b.Loop() {
		AppendDegrees(dst[:0], -38.0512345)
	}
}

func BenchmarkAppendFloat(b *testing.B) {
	var dst [64]byte
	for b.Loop() {
		strconv.AppendFloat(dst[:0], -38.0512345, 'f', -1, 64)
	}
}
