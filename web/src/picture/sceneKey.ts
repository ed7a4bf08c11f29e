import type { InjectionKey, Ref, ShallowRef } from 'vue'

import type { Scene } from '../scene/scene'

/** The scene, and the number of the frame it drew last, for what is laid over it. */
export const sceneKey: InjectionKey<{ scene: ShallowRef<Scene | undefined>; frame: Ref<number> }> =
  Symbol('scene')
