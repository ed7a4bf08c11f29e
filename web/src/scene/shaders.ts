/** Shaders of the bodies: they read what is shown of each item from a texture. */
import * as THREE from 'three'

/**
 * Alpha of an item's state. One less means: and selected; two less: and pointed at; `UNCUT` less:
 * and no section cuts it.
 */
export const SHOWN = 255
export const GHOST = 128
export const UNCUT = 10

const BEHIND_LINES = { polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }

/** What all of them read. */
export interface Uniforms {
  states: { value: THREE.DataTexture }
  paper: { value: THREE.Color }
  plum: { value: THREE.Color }
  /** Of lines, as the canvas has them: sRGB. */
  inkLine: { value: THREE.Color }
  plumLine: { value: THREE.Color }
  /** Where lines are all there is, those of what is selected are plum. */
  plumLines: { value: boolean }
  /** Half the picture, pixels. */
  halfSize: { value: THREE.Vector2 }
  /** How far lines are drawn before where they are: a share of the distance, or in parallel m. */
  ahead: { value: number }
}

const READ_STATE = `
  attribute float item;
  uniform sampler2D states;
  void readState() {
    int width = textureSize(states, 0).x;
    int i = int(item + 0.5);
    vState = texelFetch(states, ivec2(i % width, i / width), 0);
  }
  bool isShown() { return vState.a > 0.9; }
  bool isGhost() { return vState.a > 0.4 && vState.a < 0.6; }
`
const oneOf = (...alphas: number[]) => alphas.map((is) => `abs(a - ${is}.0) < 0.5`).join(' || ')
const isAlpha = (less: number) =>
  oneOf(SHOWN - less, GHOST - less, SHOWN - UNCUT - less, GHOST - UNCUT - less)
const CHOSEN = `
  bool chosen() { float a = vState.a * 255.0; return ${isAlpha(1)}; }
  bool pointedAt() { float a = vState.a * 255.0; return ${isAlpha(2)}; }
`
/** For shaders that need it at the corners alone. */
const STATE = `vec4 vState; ${READ_STATE} ${CHOSEN}`
/** What sections take away: `CUT_TEST` says when, of what lies before each of their planes. */
const CUT = {
  declared: `
    #if NUM_CLIPPING_PLANES > 0
      flat varying float vUncut;
    #endif
  `,
  made: `
    #if NUM_CLIPPING_PLANES > 0
      float alpha = vState.a * 255.0;
      float whole = alpha > ${GHOST + 0.5} ? ${SHOWN - UNCUT + 0.5} : ${GHOST - UNCUT + 0.5};
      vUncut = step(alpha, whole);
    #endif
  `,
  drawn: `
    #if NUM_CLIPPING_PLANES > 0
      #define BEFORE(i) (dot(vClipPosition, clippingPlanes[i].xyz) > clippingPlanes[i].w)
      if (vUncut < 0.5 && (CUT_TEST)) discard;
    #endif
  `,
}
const AWAY = 'gl_Position = vec4(2.0, 2.0, 2.0, 1.0);'

function reading<T extends THREE.Material>(
  material: T,
  uniforms: Uniforms,
  which: 'isShown()' | 'isGhost()',
  colour: string,
): T {
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms)
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        `#include <common>\nvarying vec4 vState; ${CUT.declared} ${READ_STATE}`,
      )
      .replace(
        '#include <project_vertex>',
        `#include <project_vertex>\nreadState(); ${CUT.made} if (!${which}) { ${AWAY} }`,
      )
    shader.fragmentShader = shader.fragmentShader
      .replace(
        '#include <common>',
        `#include <common>
        varying vec4 vState; ${CUT.declared} ${CHOSEN}
        uniform vec3 paper; uniform vec3 plum;`,
      )
      .replace('#include <color_fragment>', colour)
      .replace('#include <clipping_planes_fragment>', CUT.drawn)
  }
  material.customProgramCacheKey = () => which + colour
  return material
}

/** What is selected is tinted a little, what is pointed at hardly: its colour stays readable. */
const tinted = (colour: string) => `
  if (chosen()) ${colour} = mix(${colour}, plum, 0.2);
  if (pointedAt()) ${colour} = mix(${colour}, plum, 0.1);`
const TINTED = tinted('diffuseColor.rgb')

/** Lit faces in each item's colour. */
export const litFaces = (uniforms: Uniforms) =>
  reading(
    new THREE.MeshLambertMaterial({ side: THREE.DoubleSide, clipShadows: true, ...BEHIND_LINES }),
    uniforms,
    'isShown()',
    `diffuseColor.rgb = vState.rgb;${TINTED}`,
  )

/** Faces as white as the paper: they only hide what is behind. */
export const paperFaces = (uniforms: Uniforms) =>
  reading(
    new THREE.MeshBasicMaterial({ side: THREE.DoubleSide, ...BEHIND_LINES }),
    uniforms,
    'isShown()',
    `diffuseColor.rgb = paper;${TINTED}`,
  )

/** Faces whose colour is found at their corners; as white as the paper, if not lit. */
export function cornerLitFaces(uniforms: Uniforms, lit: boolean): THREE.ShaderMaterial {
  const { lights } = THREE.UniformsLib
  return new THREE.ShaderMaterial({
    uniforms: { ...THREE.UniformsUtils.clone(lights), ...uniforms },
    lights: true,
    side: THREE.DoubleSide,
    clipping: true,
    ...BEHIND_LINES,
    vertexShader: `
      #include <common>
      #include <colorspace_pars_fragment>
      #include <lights_pars_begin>
      #include <clipping_planes_pars_vertex>
      ${STATE}
      ${CUT.declared}
      uniform vec3 paper;
      uniform vec3 plum;
      varying vec3 vColour;
      vec3 light(vec3 across) {
        vec3 sum = ambientLightColor;
        #pragma unroll_loop_start
        for (int i = 0; i < NUM_HEMI_LIGHTS; i ++) {
          sum += getHemisphereLightIrradiance(hemisphereLights[i], across);
        }
        #pragma unroll_loop_end
        #pragma unroll_loop_start
        for (int i = 0; i < NUM_DIR_LIGHTS; i ++) {
          sum += saturate(dot(across, directionalLights[i].direction)) * directionalLights[i].color;
        }
        #pragma unroll_loop_end
        return sum * RECIPROCAL_PI;
      }
      void main() {
        vec3 transformed = position;
        readState();
        #include <project_vertex>
        #include <clipping_planes_vertex>
        ${CUT.made}
        vec3 colour = ${lit ? 'vState.rgb' : 'paper'};
        ${tinted('colour')}
        vec3 across = normalize(normalMatrix * normal);
        vec3 toEye = isOrthographic ? vec3(0.0, 0.0, 1.0) : -mvPosition.xyz;
        ${lit ? 'colour *= light(dot(across, toEye) < 0.0 ? -across : across);' : ''}
        vColour = sRGBTransferOETF(vec4(min(colour, vec3(1.0)), 1.0)).rgb;
        if (!isShown()) { ${AWAY} }
      }`,
    fragmentShader: `
      #include <common>
      #include <clipping_planes_pars_fragment>
      ${CUT.declared}
      varying vec3 vColour;
      void main() {
        ${CUT.drawn}
        gl_FragColor = vec4(vColour, 1.0);
      }`,
  })
}

/** What is hidden, faintly. */
export const ghostFaces = (uniforms: Uniforms) =>
  reading(
    new THREE.MeshLambertMaterial({
      side: THREE.DoubleSide,
      transparent: true,
      opacity: 0.16,
      depthWrite: false,
    }),
    uniforms,
    'isGhost()',
    `diffuseColor.rgb = vState.rgb;${TINTED}`,
  )

/** What is shown throws a shadow, nothing else. */
export const shadowDepth = (uniforms: Uniforms) =>
  reading(
    new THREE.MeshDepthMaterial({ depthPacking: THREE.RGBADepthPacking }),
    uniforms,
    'isShown()',
    '',
  )

/** How wide the line round what is selected is, pixels; and how far behind it lies, a share. */
const [HALO, HALO_BEHIND] = [2.2, 0.002]
/** Marks where what is selected is on the picture. */
const SELECTED = { stencilWrite: true, stencilRef: 1, side: THREE.DoubleSide, clipping: true }

/** What is selected, drawn into the stencil only. */
export function stencilFaces(uniforms: Uniforms): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    ...SELECTED,
    uniforms: { ...uniforms },
    stencilZPass: THREE.ReplaceStencilOp,
    colorWrite: false,
    depthWrite: false,
    depthTest: false,
    vertexShader: `
      #include <common>
      #include <clipping_planes_pars_vertex>
      ${STATE}
      ${CUT.declared}
      void main() {
        vec3 transformed = position;
        readState();
        #include <project_vertex>
        #include <clipping_planes_vertex>
        ${CUT.made}
      }`,
    fragmentShader: `
      #include <common>
      #include <clipping_planes_pars_fragment>
      ${CUT.declared}
      void main() {
        ${CUT.drawn}
        gl_FragColor = vec4(1.0);
      }`,
  })
}

/**
 * What is selected, blown up by some pixels, set back behind itself and left out where it is: what
 * is left is a line round all of it.
 */
export function haloFaces(uniforms: Uniforms): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    ...SELECTED,
    stencilFunc: THREE.NotEqualStencilFunc,
    uniforms: { ...uniforms },
    vertexShader: `
      #include <common>
      #include <clipping_planes_pars_vertex>
      ${STATE}
      ${CUT.declared}
      uniform vec2 halfSize;
      void main() {
        vec3 transformed = position;
        readState();
        #include <project_vertex>
        #include <clipping_planes_vertex>
        ${CUT.made}
        if (isOrthographic) mvPosition.z -= ${HALO_BEHIND} * 10.0;
        else mvPosition.xyz *= 1.0 + ${HALO_BEHIND};
        gl_Position = projectionMatrix * mvPosition;
        vec2 aside = (projectionMatrix * vec4(normalMatrix * normal, 0.0)).xy * halfSize;
        vec2 pixels = aside * inversesqrt(max(dot(aside, aside), 1e-20)) * ${HALO};
        gl_Position.xy += pixels / halfSize * gl_Position.w;
      }`,
    fragmentShader: `
      #include <common>
      #include <clipping_planes_pars_fragment>
      ${CUT.declared}
      uniform vec3 plum;
      void main() {
        ${CUT.drawn}
        gl_FragColor = vec4(plum, 1.0);
        #include <colorspace_fragment>
      }`,
  })
}

/**
 * Ink lines; the faces are drawn a little behind them. Dashed behind other things, if asked for.
 */
export function edgeLines(uniforms: Uniforms, behind: boolean): THREE.ShaderMaterial {
  const dashes = {
    declared: `
      uniform vec2 halfSize;
      flat varying vec4 vEnd;
      varying vec4 vHere;`,
    made: 'vEnd = vHere = gl_Position;',
    drawn: `
      vec2 apart = vHere.xy / vHere.w - vEnd.xy / vEnd.w;
      if (mod(length(apart * halfSize), 9.0) > 5.0) discard;`,
  }
  const only = (part: string) => (behind ? part : '')
  // Colours are found at the ends: for each pixel it costs too much without a graphics card.
  return new THREE.ShaderMaterial({
    uniforms: { ...uniforms, strength: { value: 1 } },
    transparent: true,
    depthWrite: false,
    depthFunc: behind ? THREE.GreaterDepth : THREE.LessEqualDepth,
    clipping: true,
    vertexShader: `
      #include <common>
      #include <clipping_planes_pars_vertex>
      ${STATE}
      ${CUT.declared}
      uniform float ahead;
      uniform vec3 inkLine;
      uniform vec3 plumLine;
      uniform bool plumLines;
      uniform float strength;
      flat varying vec4 vColour;
      ${only(dashes.declared)}
      void main() {
        vec3 transformed = position;
        readState();
        #include <project_vertex>
        #include <clipping_planes_vertex>
        ${CUT.made}
        if (isOrthographic) mvPosition.z += ahead;
        else mvPosition.xyz *= 1.0 - ahead;
        gl_Position = projectionMatrix * mvPosition;
        ${only(dashes.made)}
        vColour = chosen() && plumLines ? vec4(plumLine, 1.0) : vec4(inkLine, strength);
        if (isGhost()) vColour.a *= 0.3;
        if (!isShown() && !isGhost()) { ${AWAY} }
      }`,
    fragmentShader: `
      #include <common>
      #include <clipping_planes_pars_fragment>
      ${CUT.declared}
      flat varying vec4 vColour;
      ${only(dashes.declared)}
      void main() {
        ${CUT.drawn}
        ${only(dashes.drawn)}
        gl_FragColor = vColour;
      }`,
  })
}
