import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { reactive } from 'vue'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import FoundRow from './FoundRow.vue'
import { type Chosen, type Found, useImport } from './importStore'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  document.body.innerHTML = ''
  openCell([{ id: 'table', name: 'Table' }])
})
const plain = { open_edges: 0, degenerate: 0, duplicate: 0, turned_shells: 0, turned_triangles: 0 }
function row(found: Partial<Found> = {}, chosen: Partial<Chosen> = {}) {
  const about = {
    kind: 'mesh',
    size: [1, 2, 3],
    triangles: 12345,
    says_itself: false,
    flaws: plain,
    collisions: 0,
    joint_groups: [],
    problem: null,
    ...found,
  } as unknown as Found
  const c = reactive({
    take: true,
    file: 'a.stl',
    name: 'Arm',
    role: 'part',
    unit: 'mm',
    up: 'z',
    parent: '',
    colour: null,
    geometry: 'visual',
    ...chosen,
  }) as Chosen
  const table = document.body.appendChild(document.createElement('table'))
  expect(table).toBeDefined()
  return { shown: mounted(FoundRow, pinia, { found: about, modelValue: c }), c }
}
const size = ({ shown }: ReturnType<typeof row>) => shown.get(byTest('found-size')).text()

describe('a thing found in what is brought in', () => {
  it('tells how large it is in the unit and with the axis up that are chosen', () => {
    expect(size(row())).toBe('1.0 × 2.0 × 3.0 mm')
    expect(size(row({}, { unit: 'm' }))).toBe('1000.0 × 2000.0 × 3000.0 mm')
    expect(size(row({}, { unit: 'inch' }))).toBe('25.4 × 50.8 × 76.2 mm')
    expect(size(row({}, { up: 'y' }))).toBe('1.0 × 3.0 × 2.0 mm')
    expect(size(row({ size: null }))).toBe('–')
  })

  it('leaves the unit to a file that says it itself', () => {
    const { shown } = row({ says_itself: true })
    expect(shown.get(byTest('found-unit')).attributes('disabled')).toBeDefined()
    expect(shown.get(byTest('found-up')).attributes('disabled')).toBeDefined()
  })

  it('says what a robot is made of', () => {
    const robot = { kind: 'robot', links: 7, joints: 1, srdf: 'arm.srdf', joint_groups: ['arm'] }
    const { shown } = row(robot as Partial<Found>)
    expect(shown.text()).toContain('7 links, 1 moving joint, with arm.srdf (groups arm).')
  })

  it('says what was wrong with a mesh and what was done about it', () => {
    const flaws = { ...plain, open_edges: 4, degenerate: 2, turned_shells: 1 }
    const text = row({ flaws }).shown.get(byTest('found-flaws')).text()
    expect(text).toContain('4 open edges')
    expect(text).toContain('2 triangles without an area left out')
    expect(text).toContain('1 shells inside out turned over')
    expect(row().shown.find(byTest('found-flaws')).exists()).toBe(false)
  })

  it('can’t be taken where there is a problem, and says which', () => {
    const { shown } = row({ problem: 'It is empty.' })
    expect(shown.get('input[type=checkbox]').attributes('disabled')).toBeDefined()
    expect(shown.get(byTest('found-problem')).text()).toBe('It is empty.')
  })

  it('lets one choose its geometry where there are both kinds', async () => {
    const { shown, c } = row({ collisions: 3 })
    const choice = shown.get(byTest('found-geometry'))
    expect(shown.get('.geometry').attributes('title')).toContain('3 links have geometry of both')
    await choice.setValue('collision')
    expect(c.geometry).toBe('collision')
  })

  it('hangs on what is in the cell it comes into, or on a robot that comes along', () => {
    const carriers = () => {
      const options = row().shown.get('.carrier').findAll('option')
      return options.map((option) => option.text())
    }
    useImport().into = 'cell'
    expect(carriers()).toEqual(['the floor', 'Table'])
    useImport().into = 'new'
    expect(carriers()).toEqual(['the floor'])
  })
})
