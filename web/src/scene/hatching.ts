import * as THREE from 'three'

/** A cut face: its tint with thin lines at 45° on the picture (ISO 128-3). */
export function hatchedFaces(
  colour: string,
  palette: { paper: string; ink: string },
): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    uniforms: {
      tint: { value: new THREE.Color(colour).lerp(new THREE.Color(palette.paper), 0.45) },
      ink: { value: new THREE.Color(palette.ink) },
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
      void main() {
        float along = mod(gl_FragCoord.x + gl_FragCoord.y, 9.0);
        float line = smoothstep(1.4, 0.6, min(along, 9.0 - along));
        gl_FragColor = vec4(mix(tint, ink, line * 0.75), 1.0);
        #include <colorspace_fragment>
      }`,
  })
}
