// Random numbers that are the same for the same seed.

export class Chance {
  private state: number
  private spare = NaN

  constructor(seed: number) {
    this.state = seed >>> 0
  }

  /** From 0 to below 1, with 32 bits: a Weyl sequence whose terms are mixed (multiply, xor, shift). */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0
    let t = this.state
    t = Math.imul(t ^ (t >>> 15), t | 1)
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61)
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }

  below(n: number): number {
    return Math.floor(this.next() * n)
  }

  /** Normally distributed with standard deviation 1 (Box and Muller 1958). */
  normal(): number {
    if (!Number.isNaN(this.spare)) {
      const v = this.spare
      this.spare = NaN
      return v
    }
    const r = Math.sqrt(-2 * Math.log(1 - this.next()))
    const a = 2 * Math.PI * this.next()
    this.spare = r * Math.sin(a)
    return r * Math.cos(a)
  }
}
