import * as THREE from 'three'

import { lights, type Palette } from './look'

/** Spacings each way from the middle of the fine grid and of the coarse one, ten times as wide. */
const REACH = 60
const COARSE_REACH = 14
/** Pieces of the floor's line each way: a long one through the near plane is lost to rounding. */
const PIECES = 24
const SHADOW = 0.17
/** Below the floor, so that they do not fight with it, m. */
const BELOW = 1e-3
/** Pixels of the shadow's picture, each way. */
const SHADOW_PIXELS = 768
/** What is in the shadow's picture, as three.js numbers layers. */
const ON_FLOOR = 1

/** The floor: a grid whose spacing suits the picture, and the soft shadow of what stands on it. */
export class Ground {
  readonly group = new THREE.Group()
  readonly sun = new THREE.DirectionalLight(lights.sun, 1.9)
  private grid = new THREE.Mesh(new THREE.PlaneGeometry(2, 2, 8, 8), gridMaterial())
  /** The floor seen from its side. */
  private side = new THREE.LineSegments(crossOfLines(), new THREE.LineBasicMaterial())
  private plane = new THREE.Mesh<THREE.PlaneGeometry, THREE.Material>(
    new THREE.PlaneGeometry(1, 1),
    new THREE.ShadowMaterial({ opacity: SHADOW, depthWrite: false }),
  )
  private drawn?: DrawnShadow

  constructor() {
    this.plane.receiveShadow = true
    this.plane.layers.enable(ON_FLOOR)
    this.sun.layers.enable(ON_FLOOR)
    for (const drawn of [this.grid, this.side, this.plane]) drawn.frustumCulled = false
    this.group.add(this.grid, this.side, this.plane)
    this.sun.castShadow = true
    this.sun.shadow.mapSize.set(2048, 2048)
    this.sun.shadow.radius = 5
    this.sun.shadow.bias = -0.0006
    this.sun.shadow.normalBias = 0.006
  }

  setPalette(palette: Palette) {
    this.grid.material.uniforms.fine!.value.set(palette.grid)
    this.grid.material.uniforms.coarse!.value.set(palette.gridCoarse)
    this.side.material.color.set(palette.gridCoarse)
  }

  /** Lays the floor under what is there (m). */
  setBounds(box: THREE.Box3) {
    const centre = box.getCenter(new THREE.Vector3())
    const size = Math.max(4, ...box.getSize(new THREE.Vector3()).toArray())
    this.plane.scale.setScalar(size * 2)
    this.plane.position.set(centre.x, centre.y, -BELOW)
    this.sun.target.position.copy(centre)
    this.sun.position.copy(centre).add(new THREE.Vector3(-0.45, -0.75, 1.5).multiplyScalar(size))
    const half = size * 0.75
    Object.assign(this.sun.shadow.camera, {
      left: -half,
      right: half,
      top: half,
      bottom: -half,
      near: 0.1,
      far: size * 4,
    })
    this.sun.shadow.camera.updateProjectionMatrix()
  }

  /**
   * Draws from now on a picture of the shadow as it falls now: where there is no graphics card, a
   * soft shadow is too dear to be found for each pixel of each frame.
   */
  drawShadow(renderer: THREE.WebGLRenderer, scene: THREE.Scene) {
    this.drawn ??= new DrawnShadow(this.plane.material)
    this.drawn.draw(renderer, scene, this.plane)
  }

  dispose() {
    this.drawn?.dispose()
  }

  /** Spacing and place of the grid for a picture `width` m wide at its pivot. */
  use(width: number, pivot: THREE.Vector3, show: { grid: boolean; shadow: boolean }) {
    const pitch = gridPitch(width)
    const coarse = pitch * 10
    this.grid.visible = this.side.visible = show.grid
    const reach = coarse * COARSE_REACH
    const [x, y] = [Math.round(pivot.x / coarse) * coarse, Math.round(pivot.y / coarse) * coarse]
    for (const drawn of [this.grid, this.side]) {
      drawn.scale.setScalar(reach)
      drawn.position.set(x, y, 0)
    }
    const { uniforms } = this.grid.material
    uniforms.reach!.value = reach
    uniforms.pitch!.value = pitch
    uniforms.fineReach!.value = REACH * pitch
    // The fine lines fade round the pivot, not round the middle of the coarse ones.
    uniforms.middle!.value.set(pivot.x - x, pivot.y - y)
    this.plane.visible = show.shadow
  }
}

/** The shadow on the floor as seen from above. */
class DrawnShadow {
  private target = new THREE.WebGLRenderTarget(SHADOW_PIXELS, SHADOW_PIXELS)
  private camera = new THREE.OrthographicCamera()
  private material = pictureOfShadow(this.target.texture)

  constructor(private falling: THREE.Material) {
    this.camera.layers.set(ON_FLOOR)
  }

  draw(renderer: THREE.WebGLRenderer, scene: THREE.Scene, plane: THREE.Mesh) {
    const half = plane.scale.x / 2
    Object.assign(this.camera, { left: -half, right: half, top: half, bottom: -half, near: 0 })
    this.camera.position.copy(plane.position).setZ(1)
    this.camera.updateProjectionMatrix()
    const { background } = scene
    scene.background = null
    plane.visible = true
    plane.material = this.falling
    renderer.setRenderTarget(this.target)
    renderer.setClearAlpha(0)
    renderer.render(scene, this.camera)
    renderer.setRenderTarget(null)
    plane.material = this.material
    scene.background = background
  }

  dispose() {
    this.target.dispose()
    this.material.dispose()
  }
}

const pictureOfShadow = (picture: THREE.Texture) =>
  new THREE.ShaderMaterial({
    transparent: true,
    depthWrite: false,
    uniforms: { picture: { value: picture } },
    vertexShader: `
      varying vec2 at;
      void main() {
        at = uv;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform sampler2D picture;
      varying vec2 at;
      void main() {
        gl_FragColor = vec4(0.0, 0.0, 0.0, texture2D(picture, at).a);
      }`,
  })

/** Two lines of length 2 that cross in the middle, in pieces. */
function crossOfLines(): THREE.BufferGeometry {
  const ends: number[] = []
  for (let i = -PIECES; i < PIECES; i++) {
    const [a, b] = [i / PIECES, (i + 1) / PIECES]
    ends.push(a, 0, 0, b, 0, 0, 0, a, 0, 0, b, 0)
  }
  return new THREE.BufferGeometry().setAttribute(
    'position',
    new THREE.Float32BufferAttribute(ends, 3),
  )
}

/**
 * Lines a pixel wide at every spacing and at every tenth, on one face: some ten thousand lines cost
 * more than the whole cell where there is no graphics card. They fade out towards their reach and
 * where they would close to a band.
 */
function gridMaterial(): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    transparent: true,
    depthWrite: false,
    side: THREE.DoubleSide,
    uniforms: {
      fine: { value: new THREE.Color() },
      coarse: { value: new THREE.Color() },
      reach: { value: 1 },
      fineReach: { value: 1 },
      pitch: { value: 1 },
      middle: { value: new THREE.Vector2() },
    },
    vertexShader: `
      uniform float reach;
      varying vec2 at;
      void main() {
        at = position.xy * reach;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: `
      uniform vec3 fine;
      uniform vec3 coarse;
      uniform float reach;
      uniform float fineReach;
      uniform float pitch;
      uniform vec2 middle;
      varying vec2 at;
      float lines(vec2 place, vec2 pixel) {
        vec2 near = abs(fract(place - 0.5) - 0.5) / pixel;
        vec2 line = clamp(1.5 - near, 0.0, 1.0) * clamp(1.5 - 4.3 * pixel, 0.0, 1.0);
        return max(line.x, line.y);
      }
      void main() {
        float far = length(at - middle);
        vec2 place = at / pitch;
        vec2 pixel = fwidth(place);
        float wide = lines(place * 0.1, pixel * 0.1) * clamp(1.5 * (1.0 - far / reach), 0.0, 1.0);
        float small = lines(place, pixel) * clamp(1.5 * (1.0 - far / fineReach), 0.0, 1.0);
        float drawn = max(wide, small);
        if (drawn < 0.01) discard;
        gl_FragColor = vec4(wide > 0.5 * small ? coarse : fine, drawn);
        #include <colorspace_fragment>
      }`,
  })
}

/** A round spacing (m), some thirty lines across the picture. */
export function gridPitch(width: number): number {
  const rough = width / 24
  const decade = 10 ** Math.floor(Math.log10(rough))
  return decade * [1, 2, 5, 10].find((step) => step * decade >= rough)!
}
