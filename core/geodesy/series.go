package geodesy

// The series of Karney 2013 in the small parameter eps, to the sixth order. A coefficient slice starts at index 0 with
// the factor of sin 2σ.

// sineSeries sums c[0] sin 2x + c[1] sin 4x + … by Clenshaw's recurrence.
func sineSeries(sinx, cosx float64, c *[order]float64) float64 {
	ar := 2 * (cosx - sinx) * (cosx + sinx)
	y1 := c[5]
	y0 := ar*y1 + c[4]
	y1 = ar*y0 - y1 + c[3]
	y0 = ar*y1 - y0 + c[2]
	y1 = ar*y0 - y1 + c[1]
	y0 = ar*y1 - y0 + c[0]
	return 2 * sinx * cosx * y0
}

// a1Minus1 is eq. 17, less one.
func a1Minus1(eps float64) float64 {
	e2 := eps * eps
	return (e2*(e2*(e2+4)+64)/256 + eps) / (1 - eps)
}

// c1Coefficients is eq. 18.
func c1Coefficients(eps float64) (c [order]float64) {
	e2, d := eps*eps, eps
	c[0] = d * ((6-e2)*e2 - 16) / 32
	d *= eps
	c[1] = d * ((64-9*e2)*e2 - 128) / 2048
	d *= eps
	c[2] = d * (9*e2 - 16) / 768
	d *= eps
	c[3] = d * (3*e2 - 5) / 512
	d *= eps
	c[4] = -7 * d / 1280
	d *= eps
	c[5] = -7 * d / 2048
	return c
}

// c1pCoefficients is eq. 21: the reverted series.
func c1pCoefficients(eps float64) (c [order]float64) {
	e2, d := eps*eps, eps
	c[0] = d * (e2*(205*e2-432) + 768) / 1536
	d *= eps
	c[1] = d * (e2*(4005*e2-4736) + 3840) / 12288
	d *= eps
	c[2] = d * (116 - 225*e2) / 384
	d *= eps
	c[3] = d * (2695 - 7173*e2) / 7680
	d *= eps
	c[4] = 3467 * d / 7680
	d *= eps
	c[5] = 38081 * d / 61440
	return c
}

// a2Minus1 is eq. 42, less one.
func a2Minus1(eps float64) float64 {
	e2 := eps * eps
	return (e2*(e2*(-11*e2-28)-192)/256 - eps) / (1 + eps)
}

// c2Coefficients is eq. 43.
func c2Coefficients(eps float64) (c [order]float64) {
	e2, d := eps*eps, eps
	c[0] = d * (e2*(e2+2) + 16) / 32
	d *= eps
	c[1] = d * (e2*(35*e2+64) + 384) / 2048
	d *= eps
	c[2] = d * (15*e2 + 80) / 768
	d *= eps
	c[3] = d * (7*e2 + 35) / 512
	d *= eps
	c[4] = 63 * d / 1280
	d *= eps
	c[5] = 77 * d / 2048
	return c
}

// a3 is eq. 24.
func a3(eps float64) float64 {
	const n = thirdFlattening
	high := (1.0/16 + 3*n/16 + n*n/16) + eps*((3.0/64+n/32)+eps*(3.0/128))
	return 1 - eps*((1.0/2-n/2)+eps*((1.0/4+n/8-3*n*n/8)+eps*high))
}

// c3Coefficients is eq. 25, with a last one that is zero.
func c3Coefficients(eps float64) (c [order]float64) {
	const n, n2 = thirdFlattening, thirdFlattening * thirdFlattening
	d := eps
	c[0] = d * ((1.0/4 - n/4) + eps*((1.0/8-n2/8)+eps*((3.0/64+3*n/64-n2/64)+eps*((5.0/128+n/64)+eps*3/128))))
	d *= eps
	c[1] = d * ((1.0/16 - 3*n/32 + n2/32) + eps*((3.0/64-n/32-3*n2/64)+eps*((3.0/128+n/128)+eps*5/256)))
	d *= eps
	c[2] = d * ((5.0/192 - 3*n/64 + 5*n2/192) + eps*((3.0/128-5*n/192)+eps*7/512))
	d *= eps
	c[3] = d * ((7.0/512 - 7*n/256) + eps*7/512)
	d *= eps
	c[4] = d * 21 / 2560
	return c
}
