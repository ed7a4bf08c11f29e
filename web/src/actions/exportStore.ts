import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'

import { verdictWord } from '../findings/verdicts'
import { useCell } from '../cell/cellStore'
import { deliver } from '../cell/deliver'
import { useFindings } from '../findings/findingsStore'
import { useSettings } from '../settings/settingsStore'
import { useUnits } from '../settings/units'
import { useWhat } from '../what/whatStore'
import { useTours } from '../where/tourStore'
import { useWhen } from '../when/whenStore'
import { clock } from '../when/whenStore'
import { useWhere } from '../where/whereStore'
import type { Scene } from '../scene/scene'
import { useNotices } from '../cell/noticesStore'
import { captionColours } from '../scene/look'

export interface Size {
  width: number
  height: number
}
/** Largest edge of an exported picture, pixels. */
export const LARGEST = 7680

/** Pictures and films to take away. */
export const useExport = defineStore('export', () => {
  const cell = useCell()
  const notices = useNotices()
  const where = useWhere()
  const when = useWhen()
  const tours = useTours()
  const what = useWhat()
  const units = useUnits()
  const findings = useFindings()
  const settings = useSettings()
  const scene = shallowRef<Scene>()
  const open = ref<'picture' | 'tour' | null>(null)
  const job = ref<{ done: number; total: number } | null>(null)
  let stopped = false
  const stop = () => (stopped = true)

  function sound({ width, height }: Size): string | null {
    const whole = Number.isInteger(width) && Number.isInteger(height)
    return whole && width >= 16 && height >= 16 && width <= LARGEST && height <= LARGEST
      ? null
      : `Width and height are whole numbers of pixels from 16 to ${LARGEST}.`
  }

  function draw(size: Size, annotated: boolean): HTMLCanvasElement {
    const { viewpoint, style, colours } = where.panes[tours.tour ? tours.pane : where.active]!
    const bare = { ...settings.furniture, frame: () => false, grid: settings.furniture.grid }
    const picture = scene.value!.snapshot(
      { viewpoint, style, colours },
      size.width,
      size.height,
      annotated ? {} : { furniture: bare },
    )
    if (annotated) caption(picture)
    return picture
  }
  /** What the picture shows, in a line below; the gap of a closest approach beside it. */
  function caption(picture: HTMLCanvasElement) {
    const paint = picture.getContext('2d')!
    const size = Math.max(11, Math.round(picture.height / 54))
    const styles = getComputedStyle(document.body)
    paint.font = `${size}px ${styles.fontFamily}`
    const { bearing_deg, elevation_deg } = where.viewpoint
    const from = `bearing ${bearing_deg.toFixed(1)}°, elevation ${elevation_deg.toFixed(1)}°`
    const lines = [`${cell.cell!.document.name} · ${clock(when.time)} · ${from}`]
    const pair = findings.shown
    if (pair) {
      const [attained, required] = [units.length(pair.attained_mm), units.short(pair.required_mm)]
      const told = `${attained}, ${required} required, ${verdictWord(pair.verdict)}`
      lines.unshift(`${pair.a.name} – ${pair.b.name}: ${told}`)
    }
    const { background, text: ink } = captionColours(settings.dark)
    paint.textBaseline = 'bottom'
    lines.forEach((text, i) => {
      const y = picture.height - size * 0.7 - (lines.length - 1 - i) * size * 1.4
      const width = paint.measureText(text).width
      paint.fillStyle = background
      paint.fillRect(size * 0.5, y - size * 1.15, width + size, size * 1.4)
      paint.fillStyle = ink
      paint.fillText(text, size, y)
    })
  }
  const blobOf = (picture: HTMLCanvasElement) =>
    new Promise<Blob>((done, fail) =>
      picture.toBlob(
        (b) =>
          b
            ? done(b)
            : fail(new Error('The browser could not make the picture; try a smaller one.')),
        'image/png',
      ),
    )

  const fileName = (text: string) =>
    text
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '') || 'cell'

  async function picture(size: Size, annotated: boolean) {
    deliver(await blobOf(draw(size, annotated)), `${fileName(cell.cell!.document.name)}.png`)
  }

  /** Every frame of the open tour, one after the other; looking goes on in between. */
  async function* frames(size: Size, rate: number, annotated: boolean) {
    const total = Math.max(1, Math.round(tours.duration * rate))
    stopped = false
    job.value = { done: 0, total }
    for (let i = 0; i < total && !stopped; i++) {
      tours.goTo(i / rate)
      if (tours.tour!.with_programs)
        scene.value!.stage.setPoses(cell.cell!.moving_nodes, when.posesNow())
      yield { picture: draw(size, annotated), index: i }
      job.value = { done: i + 1, total }
      await new Promise((r) => setTimeout(r))
    }
  }
  async function film(kind: 'png' | 'webm', size: Size, rate: number, annotated: boolean) {
    const name = fileName(tours.tour!.name)
    const before = tours.time
    try {
      if (kind === 'png') {
        const files: { name: string; input: Blob }[] = []
        for await (const { picture, index } of frames(size, rate, annotated)) {
          files.push({
            name: `${name}-${String(index + 1).padStart(5, '0')}.png`,
            input: await blobOf(picture),
          })
        }
        const { downloadZip } = await import('client-zip')
        if (!stopped) deliver(await downloadZip(files).blob(), `${name}.zip`)
      } else {
        const { BufferTarget, CanvasSource, Output, WebMOutputFormat } = await import('mediabunny')
        const output = new Output({ format: new WebMOutputFormat(), target: new BufferTarget() })
        const stage = document.createElement('canvas')
        Object.assign(stage, size)
        const source = new CanvasSource(stage, {
          codec: 'vp9',
          bitrate: Math.round(size.width * size.height * rate * 0.12),
        })
        output.addVideoTrack(source, { frameRate: rate })
        await output.start()
        for await (const { picture, index } of frames(size, rate, annotated)) {
          stage.getContext('2d')!.drawImage(picture, 0, 0)
          await source.add(index / rate, 1 / rate)
        }
        if (stopped) await output.cancel()
        else {
          await output.finalize()
          deliver(new Blob([output.target.buffer!], { type: 'video/webm' }), `${name}.webm`)
        }
      }
      if (stopped) notices.say('The export was stopped; nothing was saved.')
    } catch (e) {
      notices.say(`The export failed. ${(e as Error).message}`)
    } finally {
      job.value = null
      tours.goTo(before)
    }
  }

  /** What is shown, or the selected robot, as a file in an open format. */
  async function items({ format }: { format: 'glb' | 'stl' | 'urdf' }) {
    const ids = format === 'urdf' ? [...what.selected] : [...what.visible]
    const request = {
      items: ids,
      time_s: when.time,
      format: format === 'stl' ? { stl: settings.units.length } : format,
    }
    const response = await fetch(`/api/cells/${cell.cell!.id}/export`, {
      method: 'POST',
      body: JSON.stringify(request),
      headers: { 'content-type': 'application/json' },
    })
    if (response.ok)
      deliver(
        await response.blob(),
        `${fileName(cell.cell!.document.name)}.${format === 'urdf' ? 'zip' : format}`,
      )
    else {
      const said = (await response.json().catch(() => ({}))) as { detail?: string }
      notices.say(said.detail ?? 'The export failed.')
    }
  }

  return { scene, open, items, job, stop, sound, picture, film }
})
