import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin } from '../testing/standIn'
import ArmDialog from './ArmDialog.vue'
import { useItems } from './itemsStore'

const part = <T extends Element = HTMLInputElement>(name: string) =>
  document.querySelector<T>(`[data-test="${name}"]`)!
async function type(name: string, text: string) {
  part(name).value = text
  part(name).dispatchEvent(new Event('input'))
  await nextTick()
}
async function opened() {
  const pinia = freshStores()
  openCell([])
  const { cell } = useCell()
  begin({ 'POST /api/cells/{id}/arms': () => ({ ...cell, revision: cell!.revision + 1 }) })
  mounted(ArmDialog, pinia)
  useItems().tabling = true
  await nextTick()
  await nextTick()
}
const rows = () => document.querySelectorAll('[data-test="arm-row"]')
const makes = () => !part<HTMLButtonElement>('arm-make').disabled

beforeEach(() => (document.body.innerHTML = ''))

describe('a robot from a table', () => {
  it('begins with six joints, and sends what is typed', async () => {
    await opened()
    expect(rows()).toHaveLength(6)
    await type('arm-name', 'Loader')
    await type('arm-1-a', '610,5')
    await type('arm-1-α', '-90')
    part('arm-make').click()
    await vi.waitFor(() => expect(useItems().tabling).toBe(false))
    const body = asked[0]!.body as { name: string; rows: Record<string, unknown>[] }
    expect(body).toMatchObject({ base_revision: 1, name: 'Loader', convention: 'standard' })
    const does = { limits_deg_or_mm: [-180, 180], velocity_deg_or_mm_s: 180 }
    expect(body.rows[1]).toMatchObject({ joint: 'J2', a_mm: 610.5, alpha_deg: -90, ...does })
  })

  it('is not made while something in it is no number, or goes nowhere', async () => {
    await opened()
    expect(makes()).toBe(true)
    for (const [name, bad, good] of [
      ['arm-0-a', 'long', '1'],
      ['arm-0-d', '', '1'],
      ['arm-2-to', '-180', '10'],
      ['arm-3-speed', '0', '1'],
    ] as const) {
      await type(name, bad)
      expect([makes(), part(name).classList.contains('wrong')]).toEqual([false, true])
      await type(name, good)
      expect(makes()).toBe(true)
    }
  })

  it('takes cells of a spreadsheet from where they are pasted', async () => {
    await opened()
    const paste = new Event('paste', { cancelable: true }) as ClipboardEvent
    const text = '100\t-90\t400\n\t0\t0\n 50 \t90\t0\n'
    Object.assign(paste, { clipboardData: { getData: () => text } })
    part('arm-4-a').dispatchEvent(paste)
    await nextTick()
    expect(paste.defaultPrevented).toBe(true)
    expect(rows()).toHaveLength(7)
    const read = ['arm-4-a', 'arm-4-α', 'arm-4-d', 'arm-6-a', 'arm-6-α'].map((n) => part(n).value)
    expect(read).toEqual(['100', '-90', '400', '50', '90'])
    expect(part('arm-5-a').classList.contains('wrong')).toBe(true)
  })
})
