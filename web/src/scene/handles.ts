import * as THREE from 'three'
import { TransformControls } from 'three/examples/jsm/controls/TransformControls.js'

type Camera = THREE.PerspectiveCamera | THREE.OrthographicCamera

/** Where handles stand and which way they point, and what they do. */
export interface Grip {
  mode: 'move' | 'turn'
  at: THREE.Matrix4
  size: number
}

/** Steps while the key for them is held: m, and radians. */
const STEP = 0.01
const STEP_TURN = THREE.MathUtils.degToRad(5)

/**
 * Handles to move and turn something by hand. They tell the motion in the world since the drag
 * began.
 */
export class Handles {
  readonly object: THREE.Object3D
  private proxy = new THREE.Object3D()
  private start = new THREE.Matrix4()
  private controls: TransformControls
  /** The controls take a new camera for a change: panes that look in turn would never rest. */
  private looking = false
  private heard = () => {
    if (!this.looking) this.changed()
  }

  constructor(
    private scene: THREE.Scene,
    camera: Camera,
    /** Of the three axes, and of what is pointed at. */
    colours: [string, string, string, string],
    moved: (motion: THREE.Matrix4) => void,
    done: (motion: THREE.Matrix4) => void,
    private changed: () => void,
  ) {
    this.controls = new TransformControls(camera)
    this.controls.setSpace('local')
    this.controls.setColors(...colours)
    this.object = this.controls.getHelper()
    this.controls.addEventListener('change', this.heard)
    this.controls.addEventListener('objectChange', () => moved(this.motion()))
    this.controls.addEventListener('mouseUp', () => done(this.motion()))
  }

  /** Whether the pointer is on a handle, or drags one. */
  get busy(): boolean {
    return this.shown && (this.controls.dragging || this.controls.axis !== null)
  }
  get dragging(): boolean {
    return this.controls.dragging
  }
  get shown(): boolean {
    return this.controls.object !== undefined
  }

  set(grip: Grip | null) {
    if (!grip) {
      if (this.shown) this.controls.detach()
      this.scene.remove(this.proxy, this.object)
      this.controls.axis = null
      return
    }
    if (this.controls.dragging) return
    grip.at.decompose(this.proxy.position, this.proxy.quaternion, this.proxy.scale)
    this.proxy.updateMatrixWorld(true)
    this.start.copy(this.proxy.matrixWorld)
    this.controls.setMode(grip.mode === 'move' ? 'translate' : 'rotate')
    this.controls.setSize(grip.size * 1.1)
    // Only while they are shown: a picture without them does not walk through them.
    this.scene.add(this.proxy, this.object)
    if (!this.shown) this.controls.attach(this.proxy)
  }

  /** Ends a drag with everything where it was when it began. */
  cancel() {
    this.controls.reset()
    this.controls.dragging = false
    this.controls.axis = null
  }

  /** Listens to the pointer on a pane. */
  listen(element: HTMLElement | null) {
    if (this.controls.dragging || this.controls.domElement === element) return
    if (this.controls.domElement) this.controls.disconnect()
    this.controls.domElement = element as HTMLElement
    if (element) {
      this.controls.connect(element)
      element.style.touchAction = 'none'
    }
  }

  /** Takes the camera of the pane that is drawn or pointed at. */
  look(camera: Camera, stepped?: boolean) {
    this.looking = true
    this.controls.camera = camera
    this.looking = false
    if (stepped !== undefined) {
      this.controls.setTranslationSnap(stepped ? STEP : null)
      this.controls.setRotationSnap(stepped ? STEP_TURN : null)
      this.object.updateMatrixWorld(true)
    }
  }

  private motion(): THREE.Matrix4 {
    this.proxy.updateMatrixWorld(true)
    return this.proxy.matrixWorld.clone().multiply(this.start.clone().invert())
  }

  dispose() {
    this.controls.detach()
    this.controls.removeEventListener('change', this.heard)
    if (this.controls.domElement) this.controls.disconnect()
    this.controls.dispose()
  }
}
