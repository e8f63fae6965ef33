package road

// TurnBy names a change of direction in degrees.
var TurnBy = turnBy

// AtEndsOnly tells whether an edge is for the ends of ways only.
func (m *Metric) AtEndsOnly(edge uint32) bool { return m.atEndsOnly(edge) }

// Bound tells whether a restriction of some tags binds the profile.
func (p *Profile) Bound(tags string) bool { return p.bound(parseTags(tags)) }
