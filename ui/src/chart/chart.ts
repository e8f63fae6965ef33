// The map engine. It knows nothing of Vue: a container, a version of the ground, and layers that others lay over it.

import ground from '@style/ground.json'
import { Camera, type LatLng, type Spot, type View } from './camera'
import { Hand } from './hand'
import { Kept, type Keeping, type Painting } from './kept'
import { Labels, type Placed } from './labels'
import { Moving } from './moving'
import { Graticule } from './graticule'
import { inksOf, paletteOf, type GroundStyle, type Palette, type Time } from './style'
import { Tiles, ZOOM_STEP, type Covering } from './tiles'

const style = ground as unknown as GroundStyle

/** Something that a layer has under a pixel. */
export interface Hit {
  layer: Layer
  id: string
  /** The pointer's distance from it in pixels; the nearest is hit. */
  distance: number
  /** Where it is dragged to; a hit without it is clicked only. */
  drag?: { move(p: LatLng, at: Spot): void; end(): void }
}

/** What a bench lays over the ground. */
export interface Layer {
  /** Layers are drawn in this order, and asked for hits against it. */
  readonly order: number
  /**
   * Draws what lies on the ground, under the names. It is kept with the ground until the chart is told that it has
   * changed.
   */
  ground?(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void
  /**
   * Paints what stands above the names, kept as a picture until the chart is told that it has changed; yields wherever
   * it may be interrupted.
   */
  paint?(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): Painting
  /** Draws the same at once, at its own size, with every frame in which the picture is one of another zoom or turn. */
  flying?(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void
  /** Draws over all that is painted, with every frame, as long as it says that there is something to draw. */
  draw?(ctx: CanvasRenderingContext2D, camera: Camera, palette: Palette): void
  drawn?(): boolean
  /** Forgets pictures with letters on them, when fonts have come. */
  lettered?(): void
  /** Says all that what it draws looks by; as long as it says the same, it is not drawn again. */
  looks?(camera: Camera): string
  /** Whether what it draws moves by itself, so that the next frame is drawn, too. */
  moves?(now: number): boolean
  hit?(at: Spot, camera: Camera, reach: number): Omit<Hit, 'layer'> | null
  /** Boxes (left, top, right, bottom) that the ground's names keep clear of. */
  obstacles?(camera: Camera): number[][]
}

export interface ChartEvents {
  /** The view has changed. */
  move: View
  /** The view has come to rest. */
  rest: View
  /** A click or tap on nothing that a layer holds. */
  click: { at: Spot; position: LatLng }
  /** A click or tap on something of a layer's. */
  hit: Hit & { position: LatLng; touch: boolean }
  /** The position under the pointer, or null. */
  hover: LatLng | null
  /** What the pointer rests on, when that changes. */
  point: Hit | null
  /** The map followed something, and does so no longer. */
  freed: null
}

/**
 * How long what comes one by one is gathered, in milliseconds: tiles at rest and while the map zooms or turns, and what
 * is to be lettered.
 */
const GATHER_MS = { resting: 90, turning: 350, lettering: 350 }
const SHARPEN_MS = 40
/**
 * What painting behind may take of a frame, in milliseconds: while the map moves, while it flies somewhere, and at
 * rest.
 */
const PAINT_MS = { moving: 3, flying: 6, resting: 36 }
const REACH = { mouse: 6, touch: 18 }
/** How pictures are kept; z-indices of the layers' own lie between. */
const GROUND: Keeping = {
  margin: 160,
  sliced: false,
  begin: { moved: 0.85, zoomed: 0.2, turned: 7 },
  order: 0,
  off: 'stretched',
}
const NAMES: Keeping = {
  margin: 200,
  sliced: true,
  begin: { moved: 0.4, zoomed: 0.3, turned: 25 },
  order: 1,
  off: 'fades',
}
const STANDING: Keeping = { ...NAMES, off: 'hidden' }
const EDGE = 900

export class Chart extends Moving {
  /**
   * What the map is made of, one above the other: ground, names, what the layers paint, the graticule's numbers, what
   * they draw.
   */
  private readonly stack = document.createElement('div')
  private readonly overCanvas = document.createElement('canvas')
  private readonly ground = new Kept(this.stack, GROUND)
  private readonly letters = new Kept(this.stack, NAMES)
  private readonly tiles: Tiles
  private readonly labels = new Labels(style)
  private readonly hand: Hand
  private readonly layers: Layer[] = []
  private readonly listeners: { [K in keyof ChartEvents]: Set<(e: ChartEvents[K]) => void> } = {
    move: new Set(),
    rest: new Set(),
    click: new Set(),
    hit: new Set(),
    hover: new Set(),
    point: new Set(),
    freed: new Set(),
  }
  private readonly sized: ResizeObserver
  private frame = 0
  private arriving = 0
  private boxed: [number, number, number, number] | null = null
  /** The view that the names were laid out for last. */
  private laidFor: Camera | null = null
  private naming = 0
  /** Names are laid out without waiting for what is not known yet. */
  private impatient = false
  private labelsDue = true
  private pointer: Spot | null = null
  private pointedAt: string | null = null
  private readonly graticule = new Graticule(this.stack, EDGE)
  private readonly stills = new Map<Layer, Kept>()
  private lettering: Painting | null = null
  private settling = true
  private covered: Covering[] = []
  private state = 0
  private readonly told = new Map<Layer, number>()
  private groundTold = 0
  private arrivals = 0
  private shownAt: [number, number] = [NaN, NaN]
  private centreBefore: Spot | null = null
  private overUsed = false
  private overStamp = ''
  private sharpening = 0
  private disposed = false
  private marked = false
  /** All that the screen shows is drawn for this zoom. */
  private whole = false

  constructor(
    readonly container: HTMLElement,
    view: View,
  ) {
    super(view, container.clientWidth || 1, container.clientHeight || 1)
    this.stack.style.cssText = 'position:absolute;inset:0;overflow:hidden;touch-action:none;isolation:isolate'
    this.stack.setAttribute('aria-hidden', 'true')
    this.overCanvas.style.cssText = `position:absolute;inset:0;width:100%;height:100%;z-index:${EDGE + 1}`
    this.stack.append(this.overCanvas)
    container.prepend(this.stack) // below whatever the page has put there
    this.tiles = new Tiles(
      () => this.arrived(),
      () => this.lettered(),
    )
    this.hand = new Hand(container, {
      grab: (at, touch) => this.grab(at, touch),
      pan: (dx, dy, pinched) => (pinched && this.following ? undefined : this.pan(dx, dy)),
      zoom: (by, at) => this.zoomAt(by, at),
      settle: (by, at) => this.settle(by, at),
      click: (at, touch) => this.clicked(at, touch),
      hover: (at) => this.hovered(at),
      glide: (vx, vy) => this.glide(vx, vy),
      turn: (by, at) => this.turn(by, at),
      box: (from, to, done) => this.drawBox(from, to, done),
      stop: () => this.halt(),
    })
    this.sized = new ResizeObserver(() => this.resize())
    this.sized.observe(container)
    this.resize()
    // A canvas does not wait for its fonts; ask for them, and letter anew when they are there.
    const fonts = new Set(Object.values(style.labels).map((l) => l.font.replace('{}', '16')))
    for (const weight of [400, 500, 700]) fonts.add(`${weight} 16px 'Alegreya Sans'`) // of layers and graticule
    void Promise.allSettled([...fonts].map((f) => document.fonts.load(f))).then(() => {
      this.labels.forget()
      for (const l of this.layers) l.lettered?.()
      this.changed(...this.layers)
      this.relabel()
    })
  }

  dispose(): void {
    this.disposed = true
    cancelAnimationFrame(this.frame)
    clearTimeout(this.arriving)
    clearTimeout(this.naming)
    clearTimeout(this.sharpening)
    this.hand.dispose()
    this.sized.disconnect()
    this.tiles.dispose()
    this.stack.remove()
  }

  on<K extends keyof ChartEvents>(name: K, f: (e: ChartEvents[K]) => void): () => void {
    this.listeners[name].add(f)
    return () => this.listeners[name].delete(f)
  }

  private emit<K extends keyof ChartEvents>(name: K, e: ChartEvents[K]): void {
    for (const f of this.listeners[name]) f(e)
  }

  /** Whether everything in view is drawn, for tests and for pictures. */
  get complete(): boolean {
    return (
      !this.frame &&
      !this.arriving &&
      !this.naming &&
      !this.sharpening &&
      !this.tiles.waiting &&
      !this.motion &&
      !this.labelsDue &&
      !this.settling &&
      !!this.tiles.version
    )
  }

  /** Which version of the ground is drawn; another one replaces the tiles. */
  setGround(version: string): void {
    this.tiles.version = version
    this.relabel()
  }

  /** Tiles are asked for with a token, where no cookie speaks for the page. */
  askWith(token: string): void {
    this.tiles.token = token
  }

  /**
   * How the ground is drawn: the name of a style, by day or night, and of a size of lettering, all of the style file.
   */
  setLook(manner: string, time: Time, lettering: string): void {
    this.tiles.manner = style.styles[manner] ? manner : 'plain'
    this.tiles.time = time
    this.labels.setLook(style.styles[this.tiles.manner]!, style.lettering[lettering] ?? 1)
    this.relabel()
  }

  /** How long the workers took for the tiles drawn last, in milliseconds; for measurements. */
  get rasterTimes(): readonly number[] {
    return this.tiles.took
  }

  addLayer(layer: Layer): () => void {
    this.layers.push(layer)
    this.layers.sort((a, b) => a.order - b.order)
    this.changed(layer)
    return () => {
      this.layers.splice(this.layers.indexOf(layer), 1)
      this.stills.get(layer)?.drop()
      this.stills.delete(layer)
      this.changed(layer)
    }
  }

  /**
   * A tile has come. While more are on their way, several are shown with one frame: names are laid out for all of them.
   */
  private arrived(): void {
    const whole = !this.tiles.waiting || (!this.whole && this.tiles.covers(this.current, devicePixelRatio || 1))
    if (whole) this.shown()
    else if (!this.arriving)
      this.arriving = window.setTimeout(() => this.shown(), this.sharpening ? GATHER_MS.turning : GATHER_MS.resting)
    this.whole ||= whole
  }

  private shown(): void {
    clearTimeout(this.arriving)
    this.arriving = 0
    this.arrivals++
    this.invalidate()
  }

  /** It is known what is to be lettered on one tile more. */
  private lettered(): void {
    this.laidFor = null
    if (!this.tiles.named(this.wide(this.aim ?? this.current), devicePixelRatio || 1).all) return this.awaitLettering()
    clearTimeout(this.naming)
    this.naming = 0
    this.relabel()
  }

  /**
   * Names are laid out once it is known what is to be lettered on all tiles, or after a while for those of which it is.
   */
  private awaitLettering(): void {
    this.naming ||= window.setTimeout(() => {
      this.naming = 0
      this.impatient = true
      this.relabel()
    }, GATHER_MS.lettering)
  }

  /** A view and what is kept beyond the screen's edge. */
  private wide(camera: Camera): Camera {
    return new Camera(camera.view, camera.width + 2 * GROUND.margin, camera.height + 2 * GROUND.margin)
  }

  protected moved(): void {
    this.emit('move', this.view)
  }

  protected freed(): void {
    this.emit('freed', null)
  }

  protected aimed(aim: Camera | null): void {
    this.tiles.aimAt(aim && this.wide(aim), aim ? devicePixelRatio || 1 : 1)
    if (aim) this.lettered()
  }

  /** What some layers hold has changed: they are drawn anew, and the names are laid out to keep clear of them. */
  changed(...layers: Layer[]): void {
    for (const l of layers) {
      this.told.set(l, (this.told.get(l) ?? 0) + 1)
      if (l.ground) this.groundTold++
      if (l.obstacles) this.labelsDue = true
    }
    this.invalidate()
  }

  /** Lays the names out anew. */
  private relabel(): void {
    this.labelsDue = true
    this.invalidate()
  }

  /** Draws anew with the next frame. */
  invalidate(): void {
    if (!this.frame && !this.disposed) this.frame = requestAnimationFrame((now) => this.draw(now))
  }

  private resize(): void {
    const width = this.container.clientWidth || 1
    const height = this.container.clientHeight || 1
    this.current = new Camera(this.view, width, height)
    this.labelsDue = true
    this.emit('move', this.view)
    this.invalidate()
  }

  private drawBox(from: Spot, to: Spot, done: boolean): void {
    this.boxed = null
    const [width, height] = [Math.abs(to.x - from.x), Math.abs(to.y - from.y)]
    if (!done) this.boxed = [Math.min(from.x, to.x), Math.min(from.y, to.y), width, height]
    else if (width > 8 && height > 8) {
      const closer = Math.log2(Math.min(this.current.width / width, this.current.height / height))
      this.flyTo({
        ...this.current.fromScreen({ x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 }),
        zoom: Math.floor((this.view.zoom + closer) / ZOOM_STEP) * ZOOM_STEP,
      })
    }
    this.invalidate()
  }

  // What follows is for those who look at the map from outside, tests and benchmarks: what is on it, and whether it
  // moves.

  /** The names of the ground as they are laid out. */
  get names(): readonly Placed[] {
    return this.labels.placed
  }

  /** Whether the names are painted for the view that is shown, or for the one that the map flies to. */
  get namesReady(): boolean {
    return !this.lettering && this.isLaidFor(this.aim ?? this.current) && this.letters.isFor(this.aim ?? this.current)
  }

  /** The layers from below to above. */
  get stacked(): readonly Layer[] {
    return this.layers
  }

  /** The graticule's numbers at the map's edges. */
  get numbers(): Graticule['numbers'] {
    return this.graticule.numbers
  }

  /** What is painted over everything with each frame. */
  get over(): HTMLCanvasElement {
    return this.overCanvas
  }

  /** How many tiles in view have no picture. */
  get bare(): number {
    return this.covered.filter((k) => !k.tile.bitmap).length
  }

  /** Draws now what the next frame would. */
  drawNow(): void {
    this.draw(performance.now())
  }

  /** Drops the pictures that are kept, so that everything is painted anew. */
  repaint(): void {
    for (const k of [this.ground, this.letters, ...this.stills.values()]) k.drop()
    this.invalidate()
  }

  /** Loses a tile in view, as where its fetching has failed. */
  loseTile(): void {
    const { tile } = this.covered[0]!
    tile.bitmap = undefined
    tile.failed = true
    this.arrivals++
    for (const l of this.layers) this.changed(l)
  }

  /** What is hit at a spot, by a mouse or by a finger. */
  hitAt(at: Spot, touch: boolean): Hit | null {
    let best: Hit | null = null
    for (const layer of [...this.layers].reverse()) {
      const h = layer.hit?.(at, this.current, touch ? REACH.touch : REACH.mouse)
      if (h && (!best || h.distance < best.distance)) best = { ...h, layer }
    }
    return best
  }

  private grab(at: Spot, touch: boolean): { move(at: Spot): void; end(): void } | null {
    const drag = this.hitAt(at, touch)?.drag
    return drag ? { move: (p) => drag.move(this.current.fromScreen(p), p), end: () => drag.end() } : null
  }

  private clicked(at: Spot, touch: boolean): void {
    const h = this.hitAt(at, touch)
    const position = this.current.fromScreen(at)
    if (h) this.emit('hit', { ...h, position, touch })
    else this.emit('click', { at, position })
  }

  private hovered(at: Spot | null): void {
    this.pointer = at
    const h = at && this.hitAt(at, false)
    this.container.style.cursor = h ? (h.drag ? 'grab' : 'pointer') : 'crosshair'
    const key = h && `${h.layer.order} ${h.id}`
    if (key !== this.pointedAt) this.emit('point', h)
    this.pointedAt = key
    this.emit('hover', at && this.current.fromScreen(at))
  }

  /** The map has come to rest at another zoom or turn. */
  private sharpen(): void {
    this.sharpening = 0
    if (!this.isLaidFor(this.current)) {
      this.lettering = null
      this.labelsDue = true
    }
    for (const k of [this.ground, this.letters, ...this.stills.values()]) k.sharpen(this.current)
    this.invalidate()
  }

  private isLaidFor({ view, width, height }: Camera): boolean {
    const l = this.laidFor
    return (
      !!l &&
      l.view.zoom === view.zoom &&
      l.view.rotation === view.rotation &&
      l.view.lat === view.lat &&
      l.view.lng === view.lng &&
      l.width === width &&
      l.height === height
    )
  }

  private draw(now: number): void {
    this.frame = 0
    const wasMoving = !!this.motion
    if (this.motion && !this.motion(now)) this.halt()
    this.hold(now)
    const ratio = devicePixelRatio || 1
    const palette = paletteOf(style, this.tiles.manner, this.tiles.time)
    const inks = inksOf(style, this.tiles.manner, this.tiles.time)
    const camera = this.current
    const [zoomBefore, rotationBefore] = this.shownAt
    const turning = zoomBefore !== camera.view.zoom || rotationBefore !== camera.view.rotation
    this.shownAt = [camera.view.zoom, camera.view.rotation]
    if (turning) {
      clearTimeout(this.sharpening) // once it rests, names are laid out and all is drawn sharp
      this.sharpening = window.setTimeout(() => this.sharpen(), SHARPEN_MS)
    }
    const moving = turning || this.centreBefore !== camera.centre
    this.centreBefore = camera.centre
    this.tiles.moving = moving || !!this.sharpening
    const look = `${this.tiles.manner} ${this.tiles.time}`
    // Turned pictures, and large ones, are dear to lay over each other: they are then put into one with the ground.
    const stills = this.layers.flatMap((l) => this.stills.get(l) ?? [])
    const pictures = [this.letters, ...stills]
    const flat = (moving && ratio > 1.4) || pictures.some((k) => !k.isUpright(camera))
    const coarse = !!this.sharpening || (moving && flat)
    const flattened = flat && stills.every((k) => k.stands(camera)) // what the layers paint is in the ground's picture
    const ground = `${this.arrivals} ${this.groundTold} ${this.tiles.version} ${look} ${flattened} ${flat} ${coarse}`
    this.ground.show(camera, ratio, ground, 0, (ctx, wide) =>
      this.paintGround(ctx, wide, ratio, palette, inks, coarse, flat ? pictures : []),
    )

    const [width, height] = [Math.round(camera.width * ratio), Math.round(camera.height * ratio)]
    if (this.overCanvas.width !== width || this.overCanvas.height !== height)
      Object.assign(this.overCanvas, { width, height }) // a page may go to another screen
    const over = this.overCanvas.getContext('2d')!
    over.setTransform(ratio, 0, 0, ratio, 0, 0)
    const drawing = this.layers.filter((l) => l.draw && (l.drawn?.() ?? true))
    const deadline = performance.now() + (this.aim ? PAINT_MS.flying : moving ? PAINT_MS.moving : PAINT_MS.resting)
    const unsettled = turning || !!this.sharpening
    // On a flight names are laid out, and painted, for where it ends; they fade in as it comes near.
    const goal = this.aim ?? camera
    const due = this.aim
      ? !this.isLaidFor(goal)
      : (this.labelsDue && !unsettled) || this.labels.isStale(camera, unsettled)
    const known = due && !this.lettering ? this.tiles.named(this.wide(goal), ratio) : null
    if (known && !known.all && (unsettled || !this.impatient)) {
      if (!unsettled) this.awaitLettering()
    } else if (known) {
      this.impatient = false
      this.lettering = this.labels.layout(
        over,
        goal,
        known.tiles,
        this.layers.flatMap((l) => l.obstacles?.(goal) ?? []),
      )
      this.laidFor = goal
      this.labelsDue = false
    }
    const unnamed = !!this.lettering || (due && !!this.state)
    over.save()
    while (this.lettering && (!this.state || performance.now() < deadline))
      if (this.lettering.next().done) {
        this.lettering = null
        this.state++
      }
    over.restore()
    this.settling = this.letters.show(
      camera,
      ratio,
      unnamed ? null : `${this.state} ${look}`,
      deadline,
      (ctx, wide) => this.labels.paint(ctx, wide, palette),
      goal,
    )
    const flying: Layer[] = []
    for (const layer of this.layers) {
      if (!layer.paint) continue
      let still = this.stills.get(layer)
      if (!still)
        this.stills.set(layer, (still = new Kept(this.stack, { ...STANDING, order: NAMES.order + layer.order })))
      const later = still.shown && unsettled && !still.stands(camera)
      if (
        still.show(camera, ratio, later ? null : `${this.told.get(layer)} ${look}`, deadline, (ctx, wide) =>
          layer.paint!(ctx, wide, inks),
        )
      )
        this.settling = true
      // With the ground painted before, what has just become sharp is in it from the next frame on.
      if (still.shown && (!still.stands(camera) || (flat && !flattened))) flying.push(layer)
    }
    for (const k of pictures) k.veil(flat)
    if (!this.marked && this.whole) {
      this.marked = true
      performance.mark('viandante-map') // for measurements: the ground is there
      this.tiles.grow()
    }
    this.graticule.draw(camera, ratio, palette)
    // What would look as it does already is not drawn again: a canvas that changes is dear to lay over the others.
    const stamps = drawing.map((l) => l.looks?.(camera) ?? '')
    const stamp =
      flying.length || this.boxed || stamps.includes('') ? '' : `${stamps.join('|')} ${look} ${width} ${height}`
    if (!stamp || stamp !== this.overStamp) {
      if (this.overUsed) over.clearRect(0, 0, camera.width, camera.height)
      this.overUsed = drawing.length > 0 || flying.length > 0 || !!this.boxed
      for (const layer of flying) layer.flying?.(over, camera, inks)
      for (const layer of drawing) layer.draw!(over, camera, inks)
    }
    this.overStamp = stamp
    if (this.boxed) {
      over.strokeStyle = inks.ink!
      over.lineWidth = 1.4
      over.setLineDash([6, 4])
      over.strokeRect(...this.boxed)
      over.setLineDash([])
    }
    const moves = drawing.some((l) => l.moves?.(now))
    if (this.motion || moving || moves || (this.settling && !this.sharpening)) this.invalidate()
    if (!this.motion && wasMoving) {
      if (!this.isLaidFor(camera)) this.labelsDue = true
      this.emit('rest', this.view)
      if (this.pointer) this.hovered(this.pointer)
      this.invalidate()
    }
  }

  // eslint-disable-next-line require-yield -- painting may be cut in slices; the ground is painted in one
  private *paintGround(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    ratio: number,
    palette: Palette,
    inks: Palette,
    coarse: boolean,
    pictures: Kept[],
  ): Painting {
    ctx.fillStyle = palette.sea!
    ctx.fillRect(0, 0, camera.width, camera.height)
    this.covered = this.tiles.cover(camera, ratio, !!this.sharpening)
    this.whole = this.tiles.covers(this.current, ratio)
    for (const { tile, column } of this.covered) {
      ctx.imageSmoothingEnabled = !coarse
      this.drawTile(ctx, camera, ratio, tile.z, column, tile.y, tile.bitmap!)
    }
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
    for (const layer of this.layers) layer.ground?.(ctx, camera, inks)
    for (const k of pictures) k.copyTo(ctx, camera, ratio, GROUND.begin.zoomed)
  }

  /** All that is shown, or the ground alone, as one picture of the screen's size in device pixels. */
  picture(groundOnly = false): HTMLCanvasElement {
    const canvas = document.createElement('canvas')
    canvas.width = this.overCanvas.width
    canvas.height = this.overCanvas.height
    const ctx = canvas.getContext('2d')!
    const ratio = devicePixelRatio || 1
    for (const k of groundOnly
      ? [this.ground]
      : [this.ground, this.letters, ...this.layers.flatMap((l) => this.stills.get(l) ?? [])])
      k.copyTo(ctx, this.current, ratio)
    if (!groundOnly) ctx.drawImage(this.overCanvas, 0, 0)
    return canvas
  }

  private drawTile(
    ctx: CanvasRenderingContext2D,
    camera: Camera,
    ratio: number,
    z: number,
    column: number,
    y: number,
    bitmap: ImageBitmap,
  ): void {
    const n = 2 ** z
    const side = camera.size / n
    // What is stretched far looks better soft than in squares.
    if (side * ratio > 3 * bitmap.width) ctx.imageSmoothingEnabled = true
    const dx = (column / n - camera.centre.x) * camera.size
    const dy = (y / n - camera.centre.y) * camera.size
    ctx.setTransform(ratio, 0, 0, ratio, (camera.width / 2) * ratio, (camera.height / 2) * ratio)
    if (camera.view.rotation) ctx.rotate((-camera.view.rotation * Math.PI) / 180)
    else {
      // Whole device pixels, so that bitmaps meet without a seam and stay crisp.
      const ox = (camera.width / 2) * ratio
      const oy = (camera.height / 2) * ratio
      const left = Math.round(dx * ratio + ox)
      const top = Math.round(dy * ratio + oy)
      const right = Math.round((dx + side) * ratio + ox)
      const bottom = Math.round((dy + side) * ratio + oy)
      ctx.setTransform(1, 0, 0, 1, 0, 0)
      ctx.drawImage(bitmap, left, top, right - left, bottom - top)
      return
    }
    ctx.drawImage(bitmap, dx, dy, side + 0.5, side + 0.5)
  }
}
