/** What places are picked for: how many, and what is asked each time. */
export const pickedFor = {
  'point-to-point': {
    asks: ['Click the point of the selection', 'Click the point it goes to'],
    corners: true,
    own: true,
  },
  'face-to-face': {
    asks: ['Click the face of the selection', 'Click the face it lies against'],
    corners: false,
    own: true,
  },
  'axis-to-axis': {
    asks: [
      'Click a round face of the selection: a pin, a hole, a shaft',
      'Click the round face whose axis it takes',
    ],
    corners: false,
    own: true,
  },
  about: { asks: ['Click the point to turn the selection about'], corners: true, own: false },
  'frame-face': {
    asks: ['Click the face where the frame stands, Z out of it'],
    corners: false,
    own: false,
  },
  'frame-axis': {
    asks: ['Click the round face in whose axis the frame stands'],
    corners: false,
    own: false,
  },
  'joint-axis': {
    asks: ['Click the round face about whose axis it turns, or along which it slides'],
    corners: false,
    own: false,
  },
  'frame-points': {
    asks: [
      'Click the origin',
      'Click a point of the X axis',
      'Click a point on the side of the Y axis',
    ],
    corners: true,
    own: false,
  },
} as const
export type PickedFor = keyof typeof pickedFor
