import * as THREE from 'three'

/** How far lines of hatching are apart, pixels; one set after the other is used up. */
const SPACINGS = [9, 6, 13]

/**
 * The direction and spacing of hatching by its number (ISO 128-3): one way at 45°, the other, then
 * with another spacing.
 */
export function hatchingOf(number: number): { way: 1 | -1; spacing: number } {
  const spacing = SPACINGS[Math.floor(number / 2) % SPACINGS.length]!
  return { way: number % 2 ? -1 : 1, spacing }
}

/** The tint of the cut face of something. */
export const tintOf = (colour: string, palette: { paper: string }) =>
  new THREE.Color(colour).lerp(new THREE.Color(palette.paper), 0.45)

/**
 * A cut face: its tint with thin lines at 45° on the picture (ISO 128-3), those of neighbours the
 * other way or closer; crossed both ways where two bodies overlap.
 */
export function hatchedFaces(
  colour: string,
  palette: { paper: string; ink: string },
  hatch: number | 'overlap',
): THREE.ShaderMaterial {
  const crossed = hatch === 'overlap'
  const { way, spacing } = hatchingOf(crossed ? 2 : hatch)
  return new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    uniforms: {
      tint: { value: tintOf(colour, palette) },
      ink: { value: new THREE.Color(palette.ink) },
      way: { value: way },
      spacing: { value: spacing },
      crossed: { value: crossed },
    },
    vertexShader: `
      #include <common>
      void main() {
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      #include <common>
      uniform vec3 tint;
      uniform vec3 ink;
      uniform float way;
      uniform float spacing;
      uniform bool crossed;
      float line(float which) {
        float along = mod(gl_FragCoord.x + which * gl_FragCoord.y, spacing);
        return smoothstep(1.4, 0.6, min(along, spacing - along));
      }
      void main() {
        float ruled = line(way);
        if (crossed) ruled = max(ruled, line(-way));
        gl_FragColor = vec4(mix(tint, ink, ruled * 0.75), 1.0);
        #include <colorspace_fragment>
      }`,
  })
}
