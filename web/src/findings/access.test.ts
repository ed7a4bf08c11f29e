import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import type { Schemas, Vec3 } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import AccessList from './AccessList.vue'
import { coneLines, useAccess } from './accessStore'
import { useMeasure } from './measureStore'

const ACCESS = 'POST /api/cells/{id}/access'
const CONE = 'POST /api/cells/{id}/access-cone'
const body = <T>(what: string) => asked.find((a) => a.what === what)!.body as T

describe('access', () => {
  let pinia: Pinia
  beforeEach(() => {
    pinia = freshStores()
    const by = [{ item: 'lid', name: 'Lid', area_mm2: 25_000 }]
    const faces = {
      ...{ free_mm2: 25_000, blocked_mm2: 25_000, away_mm2: 50_000, pieces: 40 },
      ...{ blocked_by: by, free_triangles_mm: [1], blocked_triangles_mm: [2] },
    }
    const target = { name: 'T1', at_mm: [0, 0, 0], verdict: 'blocked' }
    const points = [{ ...target, by: 'lid', by_name: 'Lid', out_mm: 120 }]
    begin({
      [ACCESS]: () => ({ faces, points }),
      [CONE]: () => ({
        ...{ at_mm: [0, 0, 0], axis: [0, 0, 1], half_angle_deg: 45 },
        ...{ free_percent: 60, free: [], tried: 800 },
      }),
      'POST /api/cells/{id}/measure': () => ({ known: [], numbers: [] }),
    })
    const arm = { id: 'arm', role: 'robot' }
    const hand = { id: 'hand', role: 'tool', parent: 'arm' }
    openCell([{ id: 'plate', name: 'Plate' }, { id: 'lid' }, { id: 'far' }, arm, hand])
  })
  const judged = async () => {
    useWhat().select('plate')
    const shown = mounted(AccessList, pinia)
    await shown.get(byTest('access-look')).trigger('click')
    await settled()
    return shown
  }

  it('needs something to judge', () => {
    const shown = mounted(AccessList, pinia)
    expect(shown.text()).toContain('Select items')
    expect(shown.get(byTest('access-look')).attributes('disabled')).toBeDefined()
  })

  it('of what is selected tells shares, what is in the way, and tints it', async () => {
    useWhat().hide(['far'])
    const shown = await judged()
    const wanted = body<Schemas['AccessWanted']>(ACCESS)
    expect(wanted.items).toEqual(['plate'])
    // Neither what is hidden is in the way nor robots and what they carry.
    expect(wanted.without).toEqual(['far', 'arm', 'hand'])
    expect(wanted.rod.diameter_mm).toBe(0)
    const share = (kind: string) => shown.get(byTest(`access-${kind}`)).text()
    expect(['free', 'blocked', 'away'].map(share)).toEqual(['25.0 %', '25.0 %', '50.0 %'])
    expect(shown.get(byTest('access-places')).text()).toContain('by Lid, 120.0 mm out')
    await shown.get(byTest('access-by')).trigger('click')
    expect([...useWhat().selected]).toEqual(['lid'])
    expect(useAccess().shaded).toEqual({ free: [1], blocked: [2] })
    // Everything may stand elsewhere at another time.
    useWhen().goTo(3)
    expect(useAccess().shaded).toBeNull()
  })

  it('says when what it rests on has changed, and of what it was found', async () => {
    const shown = await judged()
    expect(shown.find(byTest('access-stale')).exists()).toBe(false)
    await shown.get(byTest('access-by')).trigger('click')
    expect(shown.get(byTest('access-of')).text()).toContain('Plate')
    useWhat().hide(['far'])
    await settled()
    expect(shown.find(byTest('access-stale')).exists()).toBe(true)
    expect(useAccess().shaded).toBeNull()
    useWhat().show(['far'])
    useAccess().rod.diameter_mm = 12
    await settled()
    expect(shown.find(byTest('access-stale')).exists()).toBe(true)
  })

  it('comes with a tool as thick and long as is set', async () => {
    const access = useAccess()
    access.rod.diameter_mm = 30
    access.robotsCount = true
    await judged()
    const wanted = body<Schemas['AccessWanted']>(ACCESS)
    expect(wanted.rod).toEqual({ diameter_mm: 30, length_mm: 300, tip_mm: 20 })
    expect(wanted.without).toEqual([])
  })

  it('finds the free cone at what is picked', async () => {
    useMeasure().set([{ on: 'plate', kind: 'spot', at_mm: [1, 2, 3] }])
    const shown = mounted(AccessList, pinia)
    await shown.get(byTest('access-cone')).trigger('click')
    await settled()
    expect(shown.get(byTest('access-cone-found')).text()).toContain('45.0')
    expect(useAccess().lines.length).toBe(6)
    useMeasure().clear()
    await settled()
    expect(useAccess().lines).toEqual([])
  })

  it('draws a cone as wide as it is', () => {
    const [rim] = coneLines([0, 0, 10], [0, 0, 1], 30, 100)
    const off = ([x, y, z]: Vec3) => Math.atan2(Math.hypot(x, y), z - 10)
    for (const p of rim!) expect((off(p) * 180) / Math.PI).toBeCloseTo(30, 9)
  })
})
