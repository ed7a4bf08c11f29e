/** Decodes large meshes beside the page, which goes on answering. */
import { MeshBVH } from 'three-mesh-bvh'

import { arraysOf, decode, geometryOf, treeOver } from './decode'

self.onmessage = ({ data: { id, buffer } }: MessageEvent<{ id: number; buffer: ArrayBuffer }>) => {
  const own = buffer.slice(0)
  const mesh = decode(buffer)
  const { positions, corners, edges } = mesh
  const arrays = [positions, corners.positions, corners.normals, corners.indices, edges]
  self.postMessage(
    { id, mesh },
    { transfer: [...new Set(arrays.map((a) => a.buffer as ArrayBuffer))] },
  )
  // It is seen before it can be picked.
  const { positions: again, faces } = arraysOf(own)
  const tree = MeshBVH.serialize(treeOver(geometryOf(again, faces)), { cloneBuffers: false })
  self.postMessage({ id, tree })
}
