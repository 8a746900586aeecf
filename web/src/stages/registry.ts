// Where things stand on the screens: the server's list of stages, the view of each, and which stage shows a pointer.
import { computed, defineAsyncComponent, shallowRef, type Component } from 'vue'
import type { StageOut } from '../api/client'
import { nearestWords } from '../job/words'
import LateView from '../ui/LateView.vue'
import WaitNote from '../ui/WaitNote.vue'
import { FIRST, HERE, LOADERS } from './loaders'

const TRIES = 4
const late = (loader: () => Promise<Component>) =>
  defineAsyncComponent({
    loader,
    loadingComponent: WaitNote,
    errorComponent: LateView,
    delay: 150,
    // The line may be back in a moment: ask again before saying that it is not.
    onError: (_, retry, fail, attempts) => (attempts < TRIES ? window.setTimeout(retry, 500 * 2 ** attempts) : fail()),
  })

const VIEWS: Record<string, Component> = Object.fromEntries(Object.entries(LOADERS).map(([name, loader]) => [name, late(loader)]))
export type Stage = string
export const stages = shallowRef<StageOut[]>([])
export const learnStages = (told: StageOut[]) => (stages.value = told)
/** The stages that can be opened: planned by the server and drawn here. */
export const openStages = computed(() => stages.value.filter((s) => s.planned && s.name in VIEWS).map((s) => s.name))
export const viewOf = (stage: Stage): Component | undefined => HERE.get(stage) ?? VIEWS[stage]
/** Stages that need the whole width: no findings beside them. */
export const wholeStages = ['run']
export const firstStage = FIRST
export const stageOf = (pointer: string): Stage => nearestWords(pointer)?.stage ?? firstStage
