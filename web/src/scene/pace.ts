/** How fine a moving picture is drawn where there is no graphics card: as fine as it keeps up. */

/** Pixels drawn for one of the page, each way, finest first. */
const RATIOS = [1, 0.7, 0.5]
/** A frame that takes longer is too fine, one that takes less may be finer, ms. */
const [TOO_LONG_MS, SHORT_MS] = [85, 30]
/** So many long ones in a row, or short ones, before it changes: it shall not go to and fro. */
const [LONG_ONES, SHORT_ONES] = [2, 6]

export class Pace {
  private step = 1
  private long = 0
  private short = 0

  /** Pixels to draw for one of the page, each way. */
  get ratio(): number {
    return RATIOS[this.step]!
  }

  /** Hears how long a moving frame took. */
  took(ms: number) {
    this.long = ms > TOO_LONG_MS ? this.long + 1 : 0
    this.short = ms < SHORT_MS ? this.short + 1 : 0
    if (this.long >= LONG_ONES) this.go(1)
    if (this.short >= SHORT_ONES) this.go(-1)
  }

  private go(steps: number) {
    this.step = Math.min(Math.max(this.step + steps, 0), RATIOS.length - 1)
    this.long = this.short = 0
  }
}
