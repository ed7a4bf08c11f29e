/** Materials that know what is shown of each item: one draw for many bodies. */
import * as THREE from 'three'

/** Alpha of an item's state. One less means: and selected. */
export const SHOWN = 255
export const GHOST = 128

const BEHIND_LINES = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }

export interface StateUniforms {
  states: { value: THREE.DataTexture }
  paper: { value: THREE.Color }
  ink: { value: THREE.Color }
  plum: { value: THREE.Color }
}

const READ_STATE = `
  attribute float item;
  uniform sampler2D states;
  varying vec4 vState;
  void readState() {
    int width = textureSize(states, 0).x;
    int i = int(item + 0.5);
    vState = texelFetch(states, ivec2(i % width, i / width), 0);
  }
  bool isShown() { return vState.a > 0.9; }
  bool isGhost() { return vState.a > 0.4 && vState.a < 0.6; }
`
const CHOSEN = `
  varying vec4 vState;
  bool chosen() { float a = vState.a * 255.0; return abs(a - ${SHOWN - 1}.0) < 0.5 || abs(a - ${GHOST - 1}.0) < 0.5; }
`
const AWAY = 'gl_Position = vec4(2.0, 2.0, 2.0, 1.0);'

function reading<T extends THREE.Material>(
  material: T,
  uniforms: StateUniforms,
  which: 'isShown()' | 'isGhost()',
  colour: string,
): T {
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms)
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', `#include <common>\n${READ_STATE}`)
      .replace(
        '#include <project_vertex>',
        `#include <project_vertex>\nreadState(); if (!${which}) { ${AWAY} }`,
      )
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>\n${CHOSEN}\nuniform vec3 paper; uniform vec3 plum;`,
      )
      .replace('#include <color_fragment>', colour)
  }
  material.customProgramCacheKey = () => which + colour
  return material
}

/** Lit faces in each item's colour. */
export const litFaces = (uniforms: StateUniforms) =>
  reading(
    new THREE.MeshLambertMaterial({ side: THREE.DoubleSide, clipShadows: true, ...BEHIND_LINES }),
    uniforms,
    'isShown()',
    'diffuseColor.rgb = vState.rgb;',
  )

/** Faces as white as the paper: they only hide what is behind. */
export const paperFaces = (uniforms: StateUniforms) =>
  reading(
    new THREE.MeshBasicMaterial({ side: THREE.DoubleSide, ...BEHIND_LINES }),
    uniforms,
    'isShown()',
    'diffuseColor.rgb = chosen() ? mix(paper, plum, 0.28) : paper;',
  )

/** What is hidden, faintly. */
export const ghostFaces = (uniforms: StateUniforms) =>
  reading(
    new THREE.MeshLambertMaterial({
      side: THREE.DoubleSide,
      transparent: true,
      opacity: 0.16,
      depthWrite: false,
    }),
    uniforms,
    'isGhost()',
    'diffuseColor.rgb = vState.rgb;',
  )

/** What is shown throws a shadow, nothing else. */
export const shadowDepth = (uniforms: StateUniforms) =>
  reading(
    new THREE.MeshDepthMaterial({ depthPacking: THREE.RGBADepthPacking }),
    uniforms,
    'isShown()',
    '',
  )

/** A vertex of a feature edge, always drawn. */
const ON_EDGE = { declare: '', place: 'vec3 transformed = position;', leave: '' }
/** A vertex of a soft edge, drawn where one of its faces is seen and the other is not. */
const ON_CONTOUR = {
  declare: 'attribute vec3 from; attribute vec3 to; attribute vec3 left; attribute vec3 right;',
  place: 'vec3 transformed = mix(from, to, position.x);',
  leave: `
    vec3 toEye = isOrthographic ? vec3(0.0, 0.0, 1.0) : -(modelViewMatrix * vec4(from, 1.0)).xyz;
    if (dot(normalMatrix * left, toEye) * dot(normalMatrix * right, toEye) > 0.0) { ${AWAY} }`,
}

/**
 * Ink lines along feature edges, or along the outlines of what is round; the faces are drawn a little
 * behind them. Dashed behind other things, if asked for.
 */
export function edgeLines(
  uniforms: StateUniforms,
  of: 'edges' | 'contours',
  behind: boolean,
): THREE.ShaderMaterial {
  const { declare, place, leave } = of === 'edges' ? ON_EDGE : ON_CONTOUR
  return new THREE.ShaderMaterial({
    uniforms: { ...uniforms, strength: { value: 0.72 }, ghosts: { value: 1 } },
    transparent: true,
    depthWrite: false,
    depthFunc: behind ? THREE.GreaterDepth : THREE.LessEqualDepth,
    clipping: true,
    vertexShader: `
      #include <common>
      #include <clipping_planes_pars_vertex>
      ${READ_STATE}
      ${declare}
      uniform float ghosts;
      varying float vGhost;
      flat varying vec4 vEnd;
      varying vec4 vHere;
      void main() {
        ${place}
        readState();
        #include <project_vertex>
        #include <clipping_planes_vertex>
        vGhost = isGhost() ? 1.0 : 0.0;
        vEnd = gl_Position;
        vHere = gl_Position;
        if (!isShown() && !(isGhost() && ghosts > 0.5)) { ${AWAY} }
        ${leave}
      }`,
    fragmentShader: `
      #include <common>
      #include <clipping_planes_pars_fragment>
      ${CHOSEN}
      uniform vec3 ink;
      uniform vec3 plum;
      uniform float strength;
      varying float vGhost;
      flat varying vec4 vEnd;
      varying vec4 vHere;
      uniform vec2 halfSize;
      void main() {
        #include <clipping_planes_fragment>
        ${behind ? 'if (mod(distance(vHere.xy / vHere.w * halfSize, vEnd.xy / vEnd.w * halfSize), 9.0) > 5.0) discard;' : ''}
        gl_FragColor = vec4(chosen() ? plum : ink, (chosen() ? 1.0 : strength) * (vGhost > 0.5 ? 0.3 : 1.0));
        #include <colorspace_fragment>
      }`,
  })
}

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
