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
/** The stages whose code is here: drawn at once, without a moment of waiting. */
export const HERE = new Map<string, Component>()
/** Fetch a stage's code before it is shown; settles when it is here, or cannot be had now. */
export async function fetchStage(stage: string | undefined): Promise<void> {
  const name = stage !== undefined && stage in LOADERS ? stage : FIRST
  const code = (await LOADERS[name]?.().catch(() => undefined)) as { default: Component } | undefined
  if (code) HERE.set(name, code.default)
}
