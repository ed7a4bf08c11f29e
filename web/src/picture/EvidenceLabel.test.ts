import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick, ref, shallowRef } from 'vue'

import type { Pair, Vec3 } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import type { Scene } from '../scene/scene'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { useWhen } from '../when/whenStore'
import EvidenceLabel from './EvidenceLabel.vue'
import { sceneKey } from './sceneKey'

const [WIDTH, HEIGHT] = [800, 600]
let pinia: Pinia
let where: Record<string, [number, number] | null>
beforeEach(() => {
  pinia = freshStores()
  where = { a: [400, 300], b: [410, 320] }
  openCell([
    { id: 'hook', name: 'Hook', role: 'tool' },
    { id: 'post', name: 'Post', role: 'structure' },
  ])
})
/** Points are named by their first number: where they appear is said by `where`. */
function label(by: Partial<Pair> = {}) {
  const findings = useFindings()
  findings.shown = {
    a: { item: 'hook', name: 'Hook' },
    b: { item: 'post', name: 'Post' },
    on_a_mm: [1, 0, 0],
    on_b_mm: [2, 0, 0],
    attained_mm: 4.25,
    required_mm: 10,
    time_s: 0,
    ...by,
  } as unknown as Pair
  const project = (_: number, at: Vec3) => where[at[0] === 1 ? 'a' : 'b']!
  const scene = shallowRef({ spots: { project } } as unknown as Scene)
  const provided = { [sceneKey as symbol]: { scene, frame: ref(1) } }
  const props = { index: 0, width: WIDTH, height: HEIGHT }
  return mounted(EvidenceLabel, pinia, props, provided)
}
const place = (shown: ReturnType<typeof label>) => {
  const { left, top } = (shown.get(byTest('gap-label')).element as HTMLElement).style
  return [Number.parseFloat(left), Number.parseFloat(top)] as const
}

describe('the label of a closest approach', () => {
  it('names both bodies, how near they come and how near they may', () => {
    const text = label().get(byTest('gap-label')).text()
    expect(text).toContain('Hook')
    expect(text).toContain('Post')
    expect(text).toContain('4.3 mm needs 10 mm')
  })

  it('keeps clear of the points', () => {
    const [left, top] = place(label())
    expect(Math.hypot(left - 405, top - 310)).toBeGreaterThan(70)
  })

  it('goes to the other side where there is no room', () => {
    where = { a: [790, 20], b: [790, 20] }
    const [left, top] = place(label())
    expect(left).toBeLessThan(790)
    expect(top).toBeGreaterThan(20)
  })

  it('says how deep they certainly overlap, and nothing where no depth is known', async () => {
    const shown = label()
    const findings = useFindings()
    findings.depth = { at_least_mm: 1.204, time_s: 3.5 }
    await nextTick()
    expect(shown.get(byTest('gap-deep')).text()).toBe('overlap at least 1.20 mm, 00:03.500')
    // Never more than is certain.
    findings.depth = { at_least_mm: 0.0399, time_s: 3.5 }
    await nextTick()
    expect(shown.get(byTest('gap-deep')).text()).toBe('overlap at least 0.03 mm, 00:03.500')
    for (const at_least_mm of [0, 0.009]) {
      findings.depth = { at_least_mm, time_s: 3.5 }
      await nextTick()
      expect(shown.find(byTest('gap-deep')).exists()).toBe(false)
    }
  })

  it('is gone when the time is another, and where the points are behind the eye', async () => {
    const shown = label({ time_s: 2 })
    expect(shown.find(byTest('gap-label')).exists()).toBe(false)
    useWhen().time = 2
    await nextTick()
    expect(shown.find(byTest('gap-label')).exists()).toBe(true)
    where = { a: null, b: [1, 1] }
    expect(label().find(byTest('gap-label')).exists()).toBe(false)
  })
})
