import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Tour, TourStop } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { fromFront } from '../testing/viewpoints'
import { useTours } from '../where/tourStore'
import StopFields from './StopFields.vue'

let pinia: Pinia
const stop = (by: Partial<TourStop> = {}) =>
  ({ name: 'Gate', viewpoint: fromFront, hold_s: 1, travel_s: 3, ...by }) as TourStop
beforeEach(() => {
  pinia = freshStores()
  const tour = { id: 't', name: 'Round', stops: [stop(), stop(), stop()] }
  openCell([{ id: 'table' }])
  const tours = useTours()
  vi.spyOn(tours, 'tour', 'get').mockReturnValue(tour as Tour)
  tours.changeStop = vi.fn()
  tours.moveStop = vi.fn()
  tours.remove = vi.fn()
})
const fields = (by: Partial<TourStop> = {}) => mounted(StopFields, pinia, { stop: stop(by) })
const said = () => vi.mocked(useTours().changeStop).mock.calls

describe('what is said of a stop', () => {
  it('is how long it rests and travels, with point or comma', async () => {
    const shown = fields()
    await shown.get(byTest('hold')).setValue('2,5')
    await shown.get(byTest('travel')).setValue('0.75')
    expect(said()).toEqual([
      [0, { hold_s: 2.5 }],
      [0, { travel_s: 0.75 }],
    ])
  })

  it('is nothing where no number is typed, a negative rest, or too short a way', async () => {
    const shown = fields()
    await shown.get(byTest('hold')).setValue('soon')
    await shown.get(byTest('hold')).setValue('-1')
    await shown.get(byTest('travel')).setValue('0.01')
    expect(said()).toEqual([])
  })

  it('passes through without resting', async () => {
    const shown = fields()
    await shown.get(byTest('passing')).setValue(true)
    expect(said()).toEqual([[0, { passing: true, hold_s: 0 }]])
    expect(fields({ passing: true }).get(byTest('hold')).attributes('disabled')).toBeDefined()
  })

  it('goes later, but the first no earlier', async () => {
    const shown = fields()
    const [earlier, later] = ['Earlier', 'Later'].map((name) =>
      shown.findAll('button').find((b) => b.text() === name)!,
    )
    expect(earlier!.attributes('disabled')).toBeDefined()
    await later!.trigger('click')
    expect(useTours().moveStop).toHaveBeenCalledWith(0, 1)
  })

  it('can be taken out', async () => {
    await fields().get(byTest('remove-stop')).trigger('click')
    expect(useTours().remove).toHaveBeenCalledWith(0)
  })
})
