// Command reference writes the geodesics that core/geodesy is checked against: 10,000 of every difficult kind,
// followed by numerical integration with 40 decimal digits. It shares nothing with the series of core/geodesy: a
// geodesic is the curve on the surface x²/a² + y²/a² + z²/b² = 1 whose acceleration is along the surface's normal,
//
//	x″ = -k ∇g / 2,  k = Σ x′ᵢ²/aᵢ² / Σ xᵢ²/aᵢ⁴,
//
// and each step sums its Taylor series, whose coefficients follow from that equation by recurrence (Hairer, Nørsett and
// Wanner 1993, section I.8).
//
//	go run ./bench/reference | gzip -9n > core/geodesy/testdata/geodesics.csv.gz
//
// A line holds the kind, latitude and azimuth at the start (longitude 0) and the length in metres, which are exact as
// written, and latitude, longitude and azimuth at the end, to 1e-15 degree.
package main

import (
	"bufio"
	"fmt"
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"runtime"
	"strconv"
	"sync"
)

const (
	precision = 136 // bits
	terms     = 22
	stepArc   = 0.06 // radians: 0.06^22 is below 1e-26, and a coefficient is below 1
	seed      = 18
)

func number(v float64) *big.Float { return new(big.Float).SetPrec(precision).SetFloat64(v) }

func exactly(text string) *big.Float {
	v, _, err := big.ParseFloat(text, 10, precision, big.ToNearestEven)
	if err != nil {
		panic(err)
	}
	return v
}

func add(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(precision).Add(a, b) }
func sub(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(precision).Sub(a, b) }
func mul(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(precision).Mul(a, b) }
func quo(a, b *big.Float) *big.Float { return new(big.Float).SetPrec(precision).Quo(a, b) }
func root(a *big.Float) *big.Float   { return new(big.Float).SetPrec(precision).Sqrt(a) }

// The ellipsoid, in units of its semi-major axis.
var (
	semiMajor = number(6378137)
	axisRatio = sub(number(1), quo(number(1), exactly("298.257223563")))
	axis2     = mul(axisRatio, axisRatio)
	pi        = exactly("3.14159265358979323846264338327950288419716939937510582097494459")
)

// sinCos is summed from Taylor's series.
func sinCos(x *big.Float) (sin, cos *big.Float) {
	sin, cos = number(0), number(0)
	term := number(1)
	for i := range 60 {
		switch i & 3 {
		case 0:
			cos = add(cos, term)
		case 1:
			sin = add(sin, term)
		case 2:
			cos = sub(cos, term)
		default:
			sin = sub(sin, term)
		}
		term = quo(mul(term, x), number(float64(i+1)))
	}
	return sin, cos
}

func sinCosDegrees(degrees *big.Float) (sin, cos *big.Float) {
	return sinCos(quo(mul(degrees, pi), number(180)))
}

// atan2Degrees improves the arctangent in double precision by Newton's method, twice.
func atan2Degrees(y, x *big.Float) *big.Float {
	fy, _ := y.Float64()
	fx, _ := x.Float64()
	angle := number(math.Atan2(fy, fx))
	r := root(add(mul(x, x), mul(y, y)))
	if r.Sign() == 0 {
		return number(0)
	}
	for range 2 {
		s, c := sinCos(angle)
		angle = add(angle, quo(sub(mul(y, c), mul(x, s)), r))
	}
	return quo(mul(angle, number(180)), pi)
}

type vector [3]*big.Float

// follow integrates a geodesic of a length in units of the semi-major axis.
func follow(at, towards vector, length *big.Float) (vector, vector) {
	f, _ := length.Float64()
	steps := int(math.Ceil(f / stepArc))
	if steps == 0 {
		return at, towards
	}
	h := quo(length, number(float64(steps)))
	inverse2 := vector{number(1), number(1), quo(number(1), axis2)}
	inverse4 := vector{number(1), number(1), mul(inverse2[2], inverse2[2])}
	for range steps {
		// x, v: coefficients of position and velocity; p, q: of the two sums; k: of their quotient.
		var x, v [3][terms + 1]*big.Float
		var p, q, k [terms]*big.Float
		for i := range 3 {
			x[i][0], v[i][0] = at[i], towards[i]
		}
		for n := range terms {
			p[n], q[n] = number(0), number(0)
			for i := range 3 {
				sp, sq := number(0), number(0)
				for m := 0; m <= n; m++ {
					sp = add(sp, mul(v[i][m], v[i][n-m]))
					sq = add(sq, mul(x[i][m], x[i][n-m]))
				}
				p[n], q[n] = add(p[n], mul(sp, inverse2[i])), add(q[n], mul(sq, inverse4[i]))
			}
			k[n] = p[n]
			for m := 1; m <= n; m++ {
				k[n] = sub(k[n], mul(q[m], k[n-m]))
			}
			k[n] = quo(k[n], q[0])
			for i := range 3 {
				sum := number(0)
				for m := 0; m <= n; m++ {
					sum = add(sum, mul(k[m], x[i][n-m]))
				}
				x[i][n+1] = quo(v[i][n], number(float64(n+1)))
				v[i][n+1] = quo(mul(sum, inverse2[i]), number(-float64(n+1)))
			}
		}
		for i := range 3 {
			at[i], towards[i] = number(0), number(0)
			for n := terms; n >= 0; n-- {
				at[i], towards[i] = add(mul(at[i], h), x[i][n]), add(mul(towards[i], h), v[i][n])
			}
		}
	}
	return at, towards
}

// direct solves the direct problem from longitude 0, in degrees and metres.
func direct(lat, azimuth, length *big.Float) (lat2, lng2, azimuth2 *big.Float) {
	s, c := sinCosDegrees(lat)
	sa, ca := sinCosDegrees(azimuth)
	// The radius across the meridian, 1 / sqrt(cos² + (b/a)² sin²).
	n := quo(number(1), root(add(mul(c, c), mul(axis2, mul(s, s)))))
	zero := number(0)
	at := vector{mul(n, c), zero, mul(mul(n, axis2), s)}
	towards := vector{mul(number(-1), mul(s, ca)), sa, mul(c, ca)}
	at, towards = follow(at, towards, quo(length, semiMajor))
	rho := root(add(mul(at[0], at[0]), mul(at[1], at[1])))
	lat2, lng2 = atan2Degrees(at[2], mul(axis2, rho)), atan2Degrees(at[1], at[0])
	s, c = sinCosDegrees(lat2)
	sl, cl := sinCosDegrees(lng2)
	east := sub(mul(towards[1], cl), mul(towards[0], sl))
	north := sub(mul(towards[2], c), mul(s, add(mul(towards[0], cl), mul(towards[1], sl))))
	return lat2, lng2, atan2Degrees(east, north)
}

// half is the length of a geodesic over half the auxiliary sphere, where it stops being the shortest, in metres, to
// some centimetres (Karney 2013, eq. 7 with the trapezoidal rule).
func half(lat, azimuth float64) float64 {
	const b, n = 6356752.314245179, 64
	f := 1 - b/6378137.0
	beta := math.Atan((1 - f) * math.Tan(lat*math.Pi/180))
	sa := math.Sin(azimuth*math.Pi/180) * math.Cos(beta)
	k2 := (1 - sa*sa) * f * (2 - f) / ((1 - f) * (1 - f))
	sum := 0.0
	for i := range n {
		s := math.Sin(math.Pi * (float64(i) + 0.5) / n)
		sum += math.Sqrt(1 + k2*s*s)
	}
	return b * sum * math.Pi / n
}

type problem struct {
	kind            string
	lat, azimuth, s string
}

func problems() (out []problem) {
	r := rand.New(rand.NewPCG(seed, 1))
	text := func(v float64, decimals int) string { return strconv.FormatFloat(v, 'f', decimals, 64) }
	anywhere := func() float64 { return math.Asin(2*r.Float64()-1) * 180 / math.Pi }
	put := func(kind string, lat, azimuth, s float64) {
		out = append(out, problem{kind, text(lat, 9), text(azimuth, 9), text(s, 9)})
	}
	for len(out) < 10_000 {
		lat, azimuth := anywhere(), 360*r.Float64()
		switch len(out) % 10 {
		case 0, 1, 2:
			put("anywhere", lat, azimuth, r.Float64()*half(lat, azimuth)*0.999)
		case 3:
			put("short", lat, azimuth, math.Pow(10, -3+8*r.Float64()))
		case 4: // up to a metre before the line stops being the shortest
			put("antipodal", lat, azimuth, half(lat, azimuth)-math.Pow(10, 5.5*r.Float64()))
		case 5:
			lat = 90 - math.Pow(10, -7+9*r.Float64())
			if len(out)%20 < 10 {
				lat = -lat
			}
			put("polar", lat, azimuth, r.Float64()*half(lat, azimuth)*0.999)
		case 6: // along the equator, or all but
			lat = []float64{0, 1e-9, -1e-6, 1e-3}[len(out)/10%4]
			azimuth = 90 + []float64{0, 1e-9, -1e-4, 0.1}[len(out)/40%4]
			put("equatorial", lat, azimuth, r.Float64()*1.99e7)
		case 7:
			azimuth = []float64{0, 180}[len(out)/10%2] + []float64{0, 1e-9, -1e-6, 1e-3}[len(out)/20%4]
			put("meridional", lat, azimuth, r.Float64()*half(lat, azimuth)*0.999)
		case 8: // symmetric about its vertex
			put("vertex", lat, 90, math.Pow(10, 7*r.Float64()))
		default: // both ends near the equator, nearly antipodal: where a starting value matters most
			lat = 2 * r.NormFloat64()
			put("antipodal at the equator", lat, azimuth, half(lat, azimuth)-math.Pow(10, 5*r.Float64()))
		}
	}
	return out
}

func main() {
	all := problems()
	lines := make([]string, len(all))
	var working sync.WaitGroup
	cores := runtime.NumCPU()
	for core := range cores {
		working.Go(func() {
			for i := core; i < len(all); i += cores {
				p := all[i]
				lat, lng, azimuth := direct(exactly(p.lat), exactly(p.azimuth), exactly(p.s))
				lines[i] = fmt.Sprintf("%s,%s,%s,%s,%s,%s,%s", p.kind, p.lat, p.azimuth, p.s,
					lat.Text('f', 15), lng.Text('f', 15), azimuth.Text('f', 15))
			}
		})
	}
	working.Wait()
	w := bufio.NewWriter(os.Stdout)
	fmt.Fprintln(w, "kind,lat1,azimuth1,length_m,lat2,lng2,azimuth2")
	for _, l := range lines {
		fmt.Fprintln(w, l)
	}
	if err := w.Flush(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
