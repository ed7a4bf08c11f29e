import { beforeEach, describe, expect, it } from 'vitest'

import { freshStores } from '../testing/freshStores'
import { useSettings } from './settingsStore'

describe('settings', () => {
  beforeEach(() => freshStores())

  it('come back as they were exported', () => {
    const settings = useSettings()
    settings.looking.pivot = 'middle'
    settings.gestures = { Left: 'turn' }
    settings.keys = { isolate: 'J' }
    settings.togglePin('fit-all')
    const text = settings.exported()
    settings.standard()
    expect(settings.looking.pivot).toBe('pointer')
    expect(settings.pinned).toEqual([])
    settings.imported(text)
    expect(settings.looking.pivot).toBe('middle')
    expect(settings.gestures).toEqual({ Left: 'turn' })
    expect(settings.keys).toEqual({ isolate: 'J' })
    expect(settings.pinned).toEqual(['fit-all'])
  })

  it.each([
    ['not JSON', 'is not JSON'],
    ['{"colour": 1}', 'holds no settings'],
    ['{"selvik_settings": 1, "looking": {"wheelStep": "fast"}}', 'looking.wheelStep'],
    ['{"selvik_settings": 1, "pinned": {}}', '"pinned"'],
  ])('refuse %s with a sentence and change nothing', (text, sentence) => {
    const settings = useSettings()
    const before = settings.exported()
    expect(() => settings.imported(text)).toThrow(sentence)
    expect(settings.exported()).toBe(before)
  })

  it('changing the hand changes no key', () => {
    const settings = useSettings()
    settings.keys = { hide: 'Q' }
    settings.gestures = { Middle: 'turn' }
    expect(settings.keys).toEqual({ hide: 'Q' })
  })
})
