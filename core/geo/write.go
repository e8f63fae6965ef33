package geo

import (
	"math"
	"strconv"
)

// AppendDegrees appends a coordinate in degrees with as many decimals as it needs: one kept to 1e-7 degree, as nearly
// all are, without the general way of writing a number, which takes eight times as long.
func AppendDegrees(dst []byte, v float64) []byte {
	if n := math.Round(v * 1e7); n/1e7 == v && math.Abs(n) < 1e15 {
		return AppendScaled(dst, int64(n), 7)
	}
	return strconv.AppendFloat(dst, v, 'f', -1, 64)
}

// AppendRounded appends a finite number, rounded to 9 decimals below a million, to 6 beyond.
func AppendRounded(dst []byte, v float64) []byte {
	switch a := math.Abs(v); {
	case a < 1e6:
		return AppendScaled(dst, int64(math.Round(v*1e9)), 9)
	case a < 1e9:
		return AppendScaled(dst, int64(math.Round(v*1e6)), 6)
	}
	return strconv.AppendFloat(dst, v, 'f', -1, 64)
}

// AppendScaled appends n / 10^decimals as a decimal number without zeros at its end.
func AppendScaled(dst []byte, n int64, decimals int) []byte {
	if n < 0 {
		dst, n = append(dst, '-'), -n
	}
	var digits [24]byte
	at, written := len(digits), 0
	for ; n > 0 || written <= decimals; written++ {
		if written == decimals && at < len(digits) {
			at--
			digits[at] = '.'
		}
		digit := byte(n % 10)
		n /= 10
		if at < len(digits) || digit != 0 || written >= decimals { // zeros at the end fall away
			at--
			digits[at] = '0' + digit
		}
	}
	return append(dst, digits[at:]...)
}
