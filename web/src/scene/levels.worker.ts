/** Makes levels of meshes beside the page, which goes on answering. */
import { MeshoptSimplifier } from 'meshoptimizer/simplifier'

import { type Full, levelsOf } from './levels'

self.onmessage = async ({ data }: MessageEvent<Full>) => {
  await MeshoptSimplifier.ready
  self.postMessage(levelsOf(data, MeshoptSimplifier))
}
