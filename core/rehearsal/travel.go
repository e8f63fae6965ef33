package rehearsal

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"viandante/core/geo"
	"viandante/core/geodesy"
)

// track is a course with its distances.
type track struct {
	Course
	// alongM are the metres from the beginning to each point, bearings the directions of the stretches after them.
	alongM   []float64
	bearings []float64
}

func newTrack(c Course) track {
	t := track{Course: c, alongM: make([]float64, len(c.Line)), bearings: make([]float64, len(c.Line))}
	for i := 1; i < len(c.Line); i++ {
		line := geodesy.Between(geodesy.Ellipsoid, c.Line[i-1], c.Line[i])
		t.alongM[i] = t.alongM[i-1] + line.DistanceM
		t.bearings[i-1] = line.InitialBearing
	}
	return t
}

func (t *track) lengthM() float64 { return t.alongM[len(t.alongM)-1] }

// stretch returns the index of the point at or before a distance along the line, that of the last stretch at most.
func (t *track) stretch(m float64) int {
	i := sort.Search(len(t.alongM), func(i int) bool { return t.alongM[i] > m }) - 1
	return max(0, min(len(t.alongM)-2, i))
}

// at returns the truth at a distance along the line, on the way in its direction.
func (t *track) at(m float64) (p geo.Point, heading float64) {
	if len(t.Line) == 1 {
		return t.Line[0], math.NaN()
	}
	i := t.stretch(m)
	for i > 0 && t.alongM[i+1] == t.alongM[i] {
		i--
	}
	heading = t.bearings[i]
	if m <= t.alongM[i] {
		return t.Line[i], heading
	}
	p, _, err := geodesy.Destination(geodesy.Ellipsoid, t.Line[i], heading, math.Min(m, t.alongM[i+1])-t.alongM[i])
	if err != nil { // a stretch without length has no direction
		return t.Line[i], math.NaN()
	}
	return p, heading
}

func (t *track) astray(m float64) bool {
	for _, s := range t.Astray {
		if m > s.FromM && m <= s.ToM {
			return true
		}
	}
	return false
}

func (t *track) fix(atS, m, speed float64) Fix {
	p, heading := t.at(m)
	return Fix{AtS: atS, True: p, AlongM: m, Astray: t.astray(m), HeadingDeg: heading, SpeedMPS: speed,
		AltitudeM: t.altitude(m)}
}

// altitude is interpolated between the points on both sides.
func (t *track) altitude(m float64) float64 {
	if t.AltitudesM == nil {
		return math.NaN()
	}
	if len(t.Line) == 1 {
		return t.AltitudesM[0]
	}
	i := t.stretch(m)
	f := 0.0
	if d := t.alongM[i+1] - t.alongM[i]; d > 0 {
		f = math.Min(1, (m-t.alongM[i])/d)
	}
	return t.AltitudesM[i] + f*(t.AltitudesM[i+1]-t.AltitudesM[i])
}

// travel returns the truth, one fix a second, or one for each time that was recorded.
func (t *track) travel(m Manner) ([]Fix, error) {
	switch {
	case t.TimesS != nil:
		return t.replay()
	case t.lengthM() == 0:
		fixes := make([]Fix, standingS)
		for i := range fixes {
			fixes[i] = t.fix(float64(i), 0, 0)
		}
		return fixes, nil
	}
	return t.drive(m)
}

func (t *track) replay() ([]Fix, error) {
	if len(t.Line) > MostFixes {
		return nil, ErrTooLong
	}
	fixes := make([]Fix, len(t.Line))
	for i := range fixes {
		speed := 0.0
		if i > 0 && t.TimesS[i] > t.TimesS[i-1] {
			speed = (t.alongM[i] - t.alongM[i-1]) / (t.TimesS[i] - t.TimesS[i-1])
		}
		fixes[i] = t.fix(t.TimesS[i]-t.TimesS[0], t.alongM[i], speed)
		fixes[i].True = t.Line[i]
		if t.AltitudesM != nil {
			fixes[i].AltitudeM = t.AltitudesM[i]
		}
		if len(t.Line) > 1 {
			fixes[i].HeadingDeg = t.bearings[max(0, i-1)]
		}
	}
	return fixes, nil
}

// slowing is a place before which the traveller brakes: to a speed, or for a pause.
type slowing struct {
	atM, speedMPS float64
	pauseS        int
}

// drive travels the line: each second the speed nears that of the stretch as fast as the mode can, and never exceeds
// what can still be braked before the next slowing.
func (t *track) drive(m Manner) ([]Fix, error) {
	pace := paces[m.Mode]
	ahead := t.slowings(m, pace)
	r := random(m, 4)
	var fixes []Fix
	along, speed, wander, paused := 0.0, 0.0, 0.0, 0
	for second := 0; ; second++ {
		if second >= MostFixes {
			return nil, ErrTooLong
		}
		fixes = append(fixes, t.fix(float64(second), along, speed))
		if along >= t.lengthM() {
			return fixes, nil
		}
		if paused > 0 {
			paused--
			continue
		}
		wander = step(wander, 1, 20, r)
		wanted := t.speed(t.stretch(along), pace) * math.Max(0.5, 1+pace.wander*wander)
		for _, s := range ahead {
			// From v it takes v²-u² over twice the braking to come down to u (uniform deceleration).
			brake := math.Sqrt(s.speedMPS*s.speedMPS + 2*pace.gainMPS2*math.Max(0, s.atM-along))
			wanted = math.Min(wanted, math.Max(brake, 0.3))
			if s.atM-along > 400 {
				break
			}
		}
		speed += math.Max(-2*pace.gainMPS2, math.Min(pace.gainMPS2, wanted-speed))
		before := along
		along = math.Min(t.lengthM(), along+speed)
		for len(ahead) > 0 && ahead[0].atM <= along {
			if ahead[0].pauseS > 0 && ahead[0].atM > before {
				paused, speed, along = ahead[0].pauseS, 0, ahead[0].atM
			}
			ahead = ahead[1:]
		}
	}
}

func (t *track) speed(i int, p pace) float64 {
	if t.SpeedsMPS == nil || !(t.SpeedsMPS[i] > 0) {
		return p.speedMPS
	}
	return t.SpeedsMPS[i]
}

// slowings are the bends, which are taken slower the sharper they are, where the road becomes slower, the pauses, and
// the end; by distance.
func (t *track) slowings(m Manner, p pace) []slowing {
	var out []slowing
	for i := 1; i+1 < len(t.Line); i++ {
		bend := math.Abs(math.Remainder(t.bearings[i]-t.bearings[i-1], 360))
		limit := t.speed(i, p)
		if bend > 30 {
			limit = math.Min(limit, math.Max(1.2, 7-5*math.Min(1, (bend-30)/90)))
		}
		if limit < t.speed(i-1, p) {
			out = append(out, slowing{atM: t.alongM[i], speedMPS: limit})
		}
	}
	r := random(m, 3)
	for range m.Pauses {
		out = append(out, slowing{atM: t.lengthM() * (0.05 + 0.9*r.Float64()), pauseS: 20 + r.IntN(71)})
	}
	out = append(out, slowing{atM: t.lengthM(), speedMPS: p.speedMPS / 3})
	slices.SortStableFunc(out, func(a, b slowing) int { return cmp.Compare(a.atM, b.atM) })
	return out
}
