/** Poses as the server writes them: x, y, z (m) and a quaternion x, y, z, w. */
import { Matrix4, Quaternion, Vector3 } from 'three'

const UNSCALED = new Vector3(1, 1, 1)

export function matrixOf(pose: ArrayLike<number>): Matrix4 {
  const turn = new Quaternion().fromArray(pose, 3).normalize()
  return new Matrix4().compose(new Vector3().fromArray(pose), turn, UNSCALED)
}

export function flatOf(matrix: Matrix4): number[] {
  const [at, turn] = [new Vector3(), new Quaternion()]
  matrix.decompose(at, turn, new Vector3())
  return [...at.toArray(), ...turn.toArray()]
}
