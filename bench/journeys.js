// Rehearses journeys of the island with the guide that the page ships, and compares what it shows with the truth that
// the rehearsal knows. It runs in the page, whose Guide and WayLine are on window.viandanteGuide, and asks the same
// server. See journeys.go.
window.viandanteJourneys = async (count, errorM, seed, headers = {}) => {
  const { Guide, wayOf, fixesOf } = window.viandanteGuide
  const ask = async (path, init = {}) => {
    const r = await fetch(path, { ...init, headers: { ...headers, ...init.headers } })
    if (!r.ok) throw new Error(`${path}: ${r.status} : ${(await r.text()).slice(0, 200)}`)
    return r
  }
  let state = seed
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return state / 4294967296
  }
  const places = (await (await ask('/ogc/collections/posts/items?limit=500')).json()).features
    .filter((f) => f.geometry?.type === 'Point')
    .map((f) => f.geometry.coordinates)
    .sort((a, b) => a[0] - b[0] || a[1] - b[1])
  const straight = ([x, y], [u, v]) => Math.hypot((x - u) * 87700, (y - v) * 111000)
  const ranges = { foot: [600, 3000], bicycle: [1500, 9000], car: [3000, 20000] }
  const route = async (from, to, by) =>
    (await (await ask(`/v1/route?from=${from[1]},${from[0]}&to=${to[1]},${to[0]}&by=${by}`)).json()).features[0]
  const out = { journeys: 0, hours: 0, right: 0, nearestRight: 0, shown: 0, falseWays: 0, nearestFalse: 0, noticed: [] }
  Object.assign(out, { missed: 0, arrived: 0, fixes: 0, ms: 0 })
  let tried = 0
  while (out.journeys < count) {
    const by = ['foot', 'bicycle', 'car'][out.journeys % 3]
    const [a, b] = [places[Math.floor(random() * places.length)], places[Math.floor(random() * places.length)]]
    const far = straight(a, b)
    if (far < ranges[by][0] || far > ranges[by][1]) continue
    // Every second one takes a wrong road.
    const wrongTurns = out.journeys % 2
    const body = { name: 'Measured', by, stops: [a, b], seed: out.journeys + seed * 1000, error_m: errorM, wrong_turns: wrongTurns }
    const id = crypto.randomUUID()
    let way
    if (++tried > 20 * count) throw new Error('hardly any journey can be made')
    try {
      await ask(`/v1/rehearsals/${id}`, {
        method: 'PUT',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body),
      })
      way = wayOf(await route(a, b, by))
    } catch (e) {
      if (!/ (422|400) :/.test(e.message)) throw e
      continue // no way there, or too few junctions on it for the wrong turns
    }
    const fixes = fixesOf(await (await ask(`/v1/rehearsals/${id}/track`)).text())
    await ask(`/v1/rehearsals/${id}`, { method: 'DELETE', headers: { 'If-Match': '*' } })
    let guide = new Guide(way)
    let along = 0
    let offSince = null
    let lastOn = 0
    let farFor = 0
    out.journeys++
    for (const f of fixes) {
      const began = performance.now()
      const p = guide.take(f)
      out.ms += performance.now() - began
      out.fixes++
      const near = way.nearest(f.truth, Math.max(0, along - 15), along + 60 + 4 * (f.speedMps ?? 2))
      const on = near.offM < 3 && near.alongM >= along - 2
      if (on) {
        along = Math.max(along, near.alongM)
        offSince = null
        lastOn = f.elapsedS
      } else offSince ??= f.elapsedS
      if (p.state === 'arrived') {
        out.arrived++
        break
      }
      if (on && (p.state === 'on' || p.state === 'joining')) {
        const right = p.step === way.stepAt(along) ? 1 : 0
        out.right += right
        out.shown++
        // What the point of the line nearest to the fix would say.
        const nearest = way.nearest(f.at)
        out.nearestRight += way.stepAt(nearest.alongM) === way.stepAt(along) ? 1 : 0
        farFor = nearest.offM > 20 ? farFor + 1 : 0
        if (farFor === 4) out.nearestFalse++
      }
      if (p.state === 'off') {
        if (on || f.elapsedS - lastOn < 1) {
          out.falseWays++
        } else out.noticed.push(f.elapsedS - offSince)
        try {
          way = wayOf(await route([f.at.lng, f.at.lat], b, by))
        } catch {
          break
        }
        guide = new Guide(way)
        const start = way.nearest(f.truth)
        along = start.offM < 30 ? start.alongM : 0
        offSince = null
        lastOn = f.elapsedS
      } else if (offSince !== null && f.elapsedS - offSince > 120) {
        out.missed++
        break
      }
    }
    out.hours += (fixes.at(-1)?.elapsedS ?? 0) / 3600
  }
  return out
}
