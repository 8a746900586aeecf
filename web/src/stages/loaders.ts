// The code of each stage, fetched when it is wanted.
import type { Component } from 'vue'

export const LOADERS: Record<string, () => Promise<Component>> = {
  site: () => import('./site/SiteStage.vue'),
  bank: () => import('./bank/BankStage.vue'),
  units: () => import('./units/UnitsStage.vue'),
  link: () => import('./link/LinkStage.vue'),
  limits: () => import('./limits/LimitsStage.vue'),
  thresholds: () => import('./thresholds/ThresholdsStage.vue'),
  sources: () => import('./sources/SourcesStage.vue'),
  windows: () => import('./windows/WindowsStage.vue'),
  sheet: () => import('./sheet/SheetStage.vue'),
  run: () => import('./run/RunStage.vue'),
  proof: () => import('./proof/ProofStage.vue'),
  handover: () => import('./handover/HandoverStage.vue'),
}
export const FIRST = 'site'
/** Fetch a stage's code before it is shown. */
export const fetchStage = (stage: string | undefined): void => void LOADERS[stage ?? FIRST]?.().catch(() => undefined)
