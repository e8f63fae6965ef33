package geodesy

import "math"

// WGS 84: the equatorial radius in metres and the flattening (NIMA TR8350.2, 2000), and what follows from them.
const (
	equatorialRadius = 6378137.0
	flattening       = 1 / 298.257223563
	thirdFlattening  = flattening / (2 - flattening)
	axisRatio        = 1 - flattening
	polarRadius      = equatorialRadius * axisRatio
	ecc2             = flattening * (2 - flattening)
	secondEcc2       = ecc2 / (axisRatio * axisRatio)
)

const (
	order    = 6
	epsilon  = 2.220446049250313e-16
	degree   = math.Pi / 180
	newtons  = 20
	bisects  = newtons + 53 + 10
	tiny     = 1.4916681462400413e-154 // the square root of the least normal number
	tolerant = 1.4901161193847656e-08  // the square root of epsilon
)

// shortArc is the arc below which the spherical start of the inverse problem is already exact.
var shortArc = 0.1 * tolerant / math.Sqrt(math.Max(0.001, flattening)*math.Min(1, 1-flattening/2)/2)

// Inverse solves the inverse problem: the length in metres of the geodesic between two points given in degrees, and
// its azimuths in degrees in (-180, 180] at both (Karney 2013, section 4).
func Inverse(lat1, lng1, lat2, lng2 float64) (s12, azi1, azi2 float64) {
	lng12, rest := angleDifference(lng1, lng2)
	lngSign := math.Copysign(1, lng12)
	lng12, rest = lng12*lngSign, rest*lngSign
	lam12 := (lng12 + rest) * degree
	slam12, clam12 := sinCosDegrees(lng12, rest)
	supplement := (180 - lng12) - rest

	lat1, lat2 = roundAngle(lat1), roundAngle(lat2)
	swap, latSign := 1.0, 1.0
	if math.Abs(lat1) < math.Abs(lat2) { // the first point is the one nearer a pole …
		swap, lngSign = -1, -lngSign
		lat1, lat2 = lat2, lat1
	}
	if !math.Signbit(lat1) { // … and lies south
		latSign = -1
	}
	var p pair
	p.sbet1, p.cbet1 = reducedLatitude(lat1 * latSign)
	p.sbet2, p.cbet2 = reducedLatitude(lat2 * latSign)
	if p.cbet1 < -p.sbet1 {
		if p.cbet2 == p.cbet1 {
			p.sbet2 = math.Copysign(p.sbet1, p.sbet2)
		}
	} else if math.Abs(p.sbet2) == -p.sbet1 {
		p.cbet2 = p.cbet1
	}
	p.dn1, p.dn2 = math.Sqrt(1+secondEcc2*p.sbet1*p.sbet1), math.Sqrt(1+secondEcc2*p.sbet2*p.sbet2)

	var salp1, calp1, salp2, calp2 float64
	meridian := lat1*latSign == -90 || slam12 == 0
	if meridian {
		salp1, calp1, salp2, calp2 = slam12, clam12, 0, 1
		a := arc{ssig1: p.sbet1, csig1: calp1 * p.cbet1, ssig2: p.sbet2, csig2: calp2 * p.cbet2}
		a.sig12 = math.Atan2(math.Max(0, a.csig1*a.ssig2-a.ssig1*a.csig2), a.csig1*a.csig2+a.ssig1*a.ssig2)
		s, m := p.lengths(thirdFlattening, &a)
		if a.sig12 < 1 || m >= 0 {
			if a.sig12 < 3*tiny || a.sig12 < epsilon && (s < 0 || m < 0) {
				s = 0
			}
			s12 = s * polarRadius
		} else { // it passes a pole but another line is shorter
			meridian = false
		}
	}
	switch {
	case meridian:
	case p.sbet1 == 0 && supplement >= flattening*180: // along the equator
		salp1, calp1, salp2, calp2 = 1, 0, 1, 0
		s12 = equatorialRadius * lam12
	default:
		var sig12, dnm float64
		sig12, salp1, calp1, salp2, calp2, dnm = p.start(lam12, slam12, clam12)
		if sig12 >= 0 {
			s12 = sig12 * polarRadius * dnm
		} else {
			s12, salp1, calp1, salp2, calp2 = p.solve(salp1, calp1, slam12, clam12)
		}
	}
	if swap < 0 {
		salp1, salp2, calp1, calp2 = salp2, salp1, calp2, calp1
	}
	salp1, calp1 = salp1*swap*lngSign, calp1*swap*latSign
	salp2, calp2 = salp2*swap*lngSign, calp2*swap*latSign
	return s12, math.Atan2(salp1, calp1) / degree, math.Atan2(salp2, calp2) / degree
}

// pair is the two end points on the auxiliary sphere: sines and cosines of their reduced latitudes.
type pair struct{ sbet1, cbet1, dn1, sbet2, cbet2, dn2 float64 }

// arc is the stretch of the great circle on the auxiliary sphere that a geodesic maps to.
type arc struct{ sig12, ssig1, csig1, ssig2, csig2 float64 }

// solve finds the azimuth at the first point by Newton's method within a bracket (Karney 2013, section 4).
func (p *pair) solve(salp1, calp1, slam12, clam12 float64) (s12, salp1Out, calp1Out, salp2, calp2 float64) {
	lowS, lowC, highS, highC := tiny, 1.0, tiny, -1.0
	var a arc
	var eps float64
	close, narrow := false, false
	for i := 0; ; i++ {
		var v, dv float64
		v, dv, salp2, calp2, eps = p.longitude(salp1, calp1, slam12, clam12, &a, i < newtons)
		limit := epsilon
		if close {
			limit *= 8
		}
		if narrow || !(math.Abs(v) >= limit) || i == bisects {
			break
		}
		if v > 0 && (i > newtons || calp1/salp1 > highC/highS) {
			highS, highC = salp1, calp1
		} else if v < 0 && (i > newtons || calp1/salp1 < lowC/lowS) {
			lowS, lowC = salp1, calp1
		}
		if i < newtons && dv > 0 {
			if step := -v / dv; math.Abs(step) < math.Pi {
				s, c := math.Sincos(step)
				if next := salp1*c + calp1*s; next > 0 {
					calp1 = calp1*c - salp1*s
					salp1, calp1 = normalize(next, calp1)
					close = math.Abs(v) <= 16*epsilon
					continue
				}
			}
		}
		salp1, calp1 = normalize((lowS+highS)/2, (lowC+highC)/2)
		close = false
		narrow = math.Abs(lowS-salp1)+(lowC-calp1) < epsilon*tolerant ||
			math.Abs(salp1-highS)+(calp1-highC) < epsilon*tolerant
	}
	s, _ := p.lengths(eps, &a)
	return s * polarRadius, salp1, calp1, salp2, calp2
}

// longitude returns by how much the geodesic that leaves the first point with the given azimuth misses the second one's
// longitude when it reaches its latitude, and the derivative of that in the azimuth (Karney 2013, eqs. 8, 45, 46).
func (p *pair) longitude(
	salp1, calp1, slam120, clam120 float64,
	a *arc,
	derive bool,
) (lam12, dlam12, salp2, calp2, eps float64) {
	if p.sbet1 == 0 && calp1 == 0 {
		calp1 = -tiny
	}
	salp0, calp0 := salp1*p.cbet1, math.Sqrt(calp1*calp1+salp1*salp1*p.sbet1*p.sbet1)
	somg1, comg1 := salp0*p.sbet1, calp1*p.cbet1
	a.ssig1, a.csig1 = normalize(p.sbet1, comg1)
	salp2, calp2 = salp1, math.Abs(calp1)
	if p.cbet2 != p.cbet1 {
		salp2 = salp0 / p.cbet2
	}
	if p.cbet2 != p.cbet1 || math.Abs(p.sbet2) != -p.sbet1 {
		d := (p.sbet1 - p.sbet2) * (p.sbet1 + p.sbet2)
		if p.cbet1 < -p.sbet1 {
			d = (p.cbet2 - p.cbet1) * (p.cbet1 + p.cbet2)
		}
		calp2 = math.Sqrt(comg1*comg1+d) / p.cbet2
	}
	somg2, comg2 := salp0*p.sbet2, calp2*p.cbet2
	a.ssig2, a.csig2 = normalize(p.sbet2, comg2)
	a.sig12 = math.Atan2(math.Max(0, a.csig1*a.ssig2-a.ssig1*a.csig2), a.csig1*a.csig2+a.ssig1*a.ssig2)
	somg12, comg12 := math.Max(0, comg1*somg2-somg1*comg2), comg1*comg2+somg1*somg2
	eta := math.Atan2(somg12*clam120-comg12*slam120, comg12*clam120+somg12*slam120)
	eps = expansion(calp0)
	c3 := c3Coefficients(eps)
	b312 := sineSeries(a.ssig2, a.csig2, &c3) - sineSeries(a.ssig1, a.csig1, &c3)
	lam12 = eta - flattening*a3(eps)*salp0*(a.sig12+b312)
	if derive {
		if calp2 == 0 {
			dlam12 = -2 * axisRatio * p.dn1 / p.sbet1
		} else {
			dlam12 = p.reduced(eps, a) * axisRatio / (calp2 * p.cbet2)
		}
	}
	return lam12, dlam12, salp2, calp2, eps
}

// start returns a starting azimuth for solve, or, for a short line, the answer itself with sig12 >= 0 (Karney 2013,
// section 5).
func (p *pair) start(lam12, slam12, clam12 float64) (sig12, salp1, calp1, salp2, calp2, dnm float64) {
	sig12 = -1
	sbet12 := p.sbet2*p.cbet1 - p.cbet2*p.sbet1
	cbet12 := p.cbet2*p.cbet1 + p.sbet2*p.sbet1
	sbet12a := p.sbet2*p.cbet1 + p.cbet2*p.sbet1
	short := cbet12 >= 0 && sbet12 < 0.5 && p.cbet2*lam12 < 0.5
	somg12, comg12 := slam12, clam12
	if short {
		m := (p.sbet1 + p.sbet2) * (p.sbet1 + p.sbet2)
		m /= m + (p.cbet1+p.cbet2)*(p.cbet1+p.cbet2)
		dnm = math.Sqrt(1 + secondEcc2*m)
		somg12, comg12 = math.Sincos(lam12 / (axisRatio * dnm))
	}
	salp1 = p.cbet2 * somg12
	if comg12 >= 0 {
		calp1 = sbet12 + p.cbet2*p.sbet1*somg12*somg12/(1+comg12)
	} else {
		calp1 = sbet12a - p.cbet2*p.sbet1*somg12*somg12/(1-comg12)
	}
	ssig12, csig12 := math.Hypot(salp1, calp1), p.sbet1*p.sbet2+p.cbet1*p.cbet2*comg12
	switch {
	case short && ssig12 < shortArc:
		salp2 = p.cbet1 * somg12
		d := 1 - comg12
		if comg12 >= 0 {
			d = somg12 * somg12 / (1 + comg12)
		}
		calp2 = sbet12 - p.cbet1*p.sbet2*d
		salp2, calp2 = normalize(salp2, calp2)
		sig12 = math.Atan2(ssig12, csig12)
	case csig12 >= 0 || ssig12 >= 6*thirdFlattening*math.Pi*p.cbet1*p.cbet1:
	default: // nearly antipodal: the astroid of Karney 2013, figure 4
		lam12x := math.Atan2(-slam12, -clam12)
		scale := flattening * p.cbet1 * a3(expansion(p.sbet1)) * math.Pi
		x, y := lam12x/scale, sbet12a/(scale*p.cbet1)
		if y > -200*epsilon && x > -1-1000*tolerant {
			salp1 = math.Min(1, -x)
			calp1 = -math.Sqrt(1 - salp1*salp1)
		} else {
			k := astroid(x, y)
			s, c := math.Sincos(scale * -x * k / (1 + k))
			salp1 = p.cbet2 * s
			calp1 = sbet12a - p.cbet2*p.sbet1*s*s/(1+c)
		}
	}
	if !(salp1 <= 0) {
		salp1, calp1 = normalize(salp1, calp1)
	} else {
		salp1, calp1 = 1, 0
	}
	return sig12, salp1, calp1, salp2, calp2, dnm
}

// astroid solves k^4 + 2k^3 - (x² + y² - 1)k² - 2y²k - y² = 0 for its positive root (Karney 2013, eq. 55 and appendix
// B).
func astroid(x, y float64) float64 {
	p, q := x*x, y*y
	r := (p + q - 1) / 6
	if q == 0 && r <= 0 {
		return 0
	}
	s, r2 := p*q/4, r*r
	r3 := r * r2
	disc, u := s*(s+2*r3), r
	if disc >= 0 {
		t3 := s + r3
		t := math.Cbrt(t3 + math.Copysign(math.Sqrt(disc), t3))
		u += t
		if t != 0 {
			u += r2 / t
		}
	} else {
		u += 2 * r * math.Cos(math.Atan2(math.Sqrt(-disc), -(s+r3))/3)
	}
	v := math.Sqrt(u*u + q)
	uv := u + v
	if u < 0 {
		uv = q / (v - u)
	}
	w := (uv - q) / (2 * v)
	return uv / (math.Sqrt(uv+w*w) + w)
}

// lengths returns the geodesic's length and its reduced length, both over the polar radius (Karney 2013, eqs. 7, 15, 38
// to 41).
func (p *pair) lengths(eps float64, a *arc) (s12, m12 float64) {
	a1, a2 := a1Minus1(eps), a2Minus1(eps)
	c1, c2 := c1Coefficients(eps), c2Coefficients(eps)
	b1 := sineSeries(a.ssig2, a.csig2, &c1) - sineSeries(a.ssig1, a.csig1, &c1)
	b2 := sineSeries(a.ssig2, a.csig2, &c2) - sineSeries(a.ssig1, a.csig1, &c2)
	j12 := (a1-a2)*a.sig12 + ((1+a1)*b1 - (1+a2)*b2)
	s12 = (1 + a1) * (a.sig12 + b1)
	m12 = p.dn2*(a.csig1*a.ssig2) - p.dn1*(a.ssig1*a.csig2) - a.csig1*a.csig2*j12
	return s12, m12
}

// reduced returns the reduced length over the polar radius to three terms of the series, some 1e-11 of it: enough for a
// slope.
func (p *pair) reduced(eps float64, a *arc) float64 {
	s1, s2 := 2*a.ssig1*a.csig1, 2*a.ssig2*a.csig2
	c1, c2 := (a.csig1-a.ssig1)*(a.csig1+a.ssig1), (a.csig2-a.ssig2)*(a.csig2+a.ssig2)
	d1 := s2 - s1                         // of sin 2σ
	d2 := 2 * (s2*c2 - s1*c1)             // of sin 4σ
	d3 := s2*(4*c2*c2-1) - s1*(4*c1*c1-1) // of sin 6σ
	e2 := eps * eps
	b1 := eps*(-1.0/2+3.0/16*e2)*d1 - e2*(1.0/16)*d2 - e2*eps*(1.0/48)*d3
	b2 := eps*(1.0/2+1.0/16*e2)*d1 + e2*(3.0/16)*d2 + e2*eps*(5.0/48)*d3
	a1, a2 := a1Minus1(eps), a2Minus1(eps)
	j12 := (a1-a2)*a.sig12 + ((1+a1)*b1 - (1+a2)*b2)
	return p.dn2*(a.csig1*a.ssig2) - p.dn1*(a.ssig1*a.csig2) - a.csig1*a.csig2*j12
}

// Direct solves the direct problem: where the geodesic ends that leaves a point in degrees with an azimuth in degrees
// and is s12 metres long, and its azimuth there (Karney 2013, section 3).
func Direct(lat1, lng1, azi1, s12 float64) (lat2, lng2, azi2 float64) {
	salp1, calp1 := sinCosDegrees(roundAngle(math.Remainder(azi1, 360)), 0)
	sbet1, cbet1 := reducedLatitude(roundAngle(lat1))
	salp0, calp0 := salp1*cbet1, math.Hypot(calp1, salp1*sbet1)
	somg1, comg1 := salp0*sbet1, 1.0
	if sbet1 != 0 || calp1 != 0 {
		comg1 = cbet1 * calp1
	}
	ssig1, csig1 := normalize(sbet1, comg1)
	eps := expansion(calp0)
	c1, c1p, c3 := c1Coefficients(eps), c1pCoefficients(eps), c3Coefficients(eps)
	b11 := sineSeries(ssig1, csig1, &c1)
	s, c := math.Sincos(b11)
	stau1, ctau1 := ssig1*c+csig1*s, csig1*c-ssig1*s
	tau12 := s12 / (polarRadius * (1 + a1Minus1(eps)))
	s, c = math.Sincos(tau12)
	b12 := -sineSeries(stau1*c+ctau1*s, ctau1*c-stau1*s, &c1p)
	sig12 := tau12 - (b12 - b11)
	s, c = math.Sincos(sig12)
	ssig2, csig2 := ssig1*c+csig1*s, csig1*c-ssig1*s
	sbet2, cbet2 := calp0*ssig2, math.Hypot(salp0, calp0*csig2)
	if cbet2 == 0 {
		cbet2, csig2 = tiny, tiny
	}
	somg2, comg2 := salp0*ssig2, csig2
	omg12 := math.Atan2(somg2*comg1-comg2*somg1, comg2*comg1+somg2*somg1)
	b312 := sineSeries(ssig2, csig2, &c3) - sineSeries(ssig1, csig1, &c3)
	lam12 := omg12 - flattening*salp0*a3(eps)*(sig12+b312)
	return math.Atan2(sbet2, axisRatio*cbet2) / degree,
		math.Remainder(lng1+math.Remainder(lam12/degree, 360), 360),
		math.Atan2(salp0, calp0*csig2) / degree
}

// expansion returns Karney 2013, eq. 16: the small parameter of the series, from the cosine of the azimuth at the node.
func expansion(calp0 float64) float64 {
	k2 := calp0 * calp0 * secondEcc2
	return k2 / (2*(1+math.Sqrt(1+k2)) + k2)
}

func reducedLatitude(lat float64) (sbet, cbet float64) {
	s, c := sinCosDegrees(lat, 0)
	sbet, cbet = normalize(s*axisRatio, c)
	return sbet, math.Max(tiny, cbet)
}

func normalize(x, y float64) (float64, float64) {
	h := math.Sqrt(x*x + y*y)
	if h < 1e-140 { // the squares lose digits
		h = math.Hypot(x, y)
	}
	return x / h, y / h
}

// turn brings an angle in degrees into [-180, 180], without loss.
func turn(x float64) float64 {
	if math.Abs(x) <= 180 {
		return x
	}
	return math.Remainder(x, 360)
}

// angleDifference returns b - a in [-180, 180] as a sum of two numbers, without loss (Knuth's two-sum).
func angleDifference(a, b float64) (diff, rest float64) {
	sum := func(u, v float64) (float64, float64) {
		s := u + v
		up := s - v
		vpp := s - up
		return s, -((up - u) + (vpp - v))
	}
	d, t := sum(turn(-a), turn(b))
	d, t = sum(turn(d), t)
	if d == 0 || math.Abs(d) == 180 {
		sign := b - a
		if t != 0 {
			sign = -t
		}
		d = math.Copysign(d, sign)
	}
	return d, t
}

// roundAngle makes very small angles exact multiples of 2^-57 so that symmetric cases stay symmetric.
func roundAngle(x float64) float64 {
	const z = 1.0 / 16
	y := math.Abs(x)
	if w := z - y; w > 0 {
		y = z - w
	}
	return math.Copysign(y, x)
}

// sinCosDegrees is exact at the multiples of 90 degrees; rest is a small addend to x.
func sinCosDegrees(x, rest float64) (sin, cos float64) {
	x = turn(x)
	quarter := math.RoundToEven(x / 90)
	s, c := math.Sincos((x - 90*quarter + rest) * degree)
	switch int(quarter) & 3 {
	case 0:
		sin, cos = s, c
	case 1:
		sin, cos = c, -s
	case 2:
		sin, cos = -s, -c
	default:
		sin, cos = -c, s
	}
	if cos == 0 {
		cos = 0
	}
	return sin, cos
}
