// The types of the style file, and how its stops are read.

export type Stops = [number, number][]
export type Palette = Record<string, string>

export interface AreaStyle {
  fill: string
  mark?: string
  pattern?: 'hatch' | 'rows' | 'tufts' | 'trees' | 'stipple'
  /** The first zoom at which the pattern is drawn. */
  from?: number
  edge?: string
  waterlines?: boolean
}

export interface LineStyle {
  colour: string
  edge?: string
  width: Stops
  dash?: number[]
  cap?: CanvasLineCap
}

export interface LabelStyle {
  ink: string
  font: string
  size: Stops
  spacing?: number
  along?: boolean
  from?: number
  'by-rank'?: boolean
  mark?: string
}

export interface GroundStyle {
  palettes: Record<string, Palette>
  shore: { line: number; waterlines: [number, number][] }
  areas: Record<string, AreaStyle>
  lines: Record<string, LineStyle>
  labels: Record<string, LabelStyle>
}

/** The value of stops at a zoom. */
export function at(stops: Stops, zoom: number): number {
  let before = stops[0]!
  if (zoom <= before[0]) return before[1]
  for (const stop of stops) {
    if (zoom < stop[0]) return before[1] + ((zoom - before[0]) / (stop[0] - before[0])) * (stop[1] - before[1])
    before = stop
  }
  return before[1]
}
