// What the plate of each kind of device says, in plain words and in the order people read it.
export interface PlateField {
  pointer: string
  label: string
  unit?: string
  kind?: 'number' | 'whole' | 'text' | 'choice' | 'many' | 'switch'
  choices?: [string | number, string][]
  needed?: boolean
  hint?: string
  scale?: number
}
const about: PlateField[] = [
  { pointer: '/name', label: 'Model, as on the plate', kind: 'text', needed: true },
  { pointer: '/maker', label: 'Maker', kind: 'text', needed: true },
  { pointer: '/id', label: 'Short name', kind: 'text', needed: true, hint: 'for files; made of the model until you change it' },
]
export const PLATES: Record<string, PlateField[]> = {
  'inverter/1': [
    ...about,
    { pointer: '/ratings/class_v', label: 'Voltage class', unit: 'V', kind: 'whole', needed: true },
    { pointer: '/ratings/continuous_w', label: 'Continuous power', unit: 'W', needed: true },
    { pointer: '/ratings/surge_w', label: 'Peak power, seconds', unit: 'W', needed: true },
    { pointer: '/ratings/charge_max_a', label: 'Charges at most', unit: 'A', needed: true },
    { pointer: '/ratings/ac_charge_max_a', label: 'Charges from AC at most', unit: 'A', needed: true },
    { pointer: '/ratings/sun_charge_max_a', label: 'Charges from own sun', unit: 'A' },
    { pointer: '/ratings/battery_v_min', label: 'Battery side, lowest', unit: 'V', needed: true },
    { pointer: '/ratings/battery_v_max', label: 'Battery side, highest', unit: 'V', needed: true },
    { pointer: '/ac_volts', label: 'AC volts', unit: 'V', kind: 'many', needed: true, hint: 'one or more, with commas' },
    {
      pointer: '/ac_hz',
      label: 'Frequency',
      kind: 'many',
      needed: true,
      hint: '50, 60 or both',
    },
    { pointer: '/max_parallel', label: 'In parallel at most', kind: 'whole' },
  ],
  'module/1': [
    ...about,
    { pointer: '/series_cells', label: 'Cells in series', kind: 'whole', needed: true },
    { pointer: '/capacity_ah', label: 'Capacity', unit: 'Ah', needed: true },
    { pointer: '/charge_a', label: 'Charge, data sheet', unit: 'A', needed: true },
    { pointer: '/discharge_a', label: 'Discharge, data sheet', unit: 'A', needed: true },
    { pointer: '/resistance_mohm', label: 'Resistance', unit: 'mΩ', needed: true, hint: 'of the whole module' },
    { pointer: '/cell_max_v', label: 'Cell maximum', unit: 'V', needed: true, hint: 'lithium iron phosphate: 3.65' },
    { pointer: '/cell_min_v', label: 'Cell cut-off', unit: 'V', needed: true, hint: 'lithium iron phosphate: 2.5' },
    {
      pointer: '/chemistry',
      label: 'Chemistry',
      kind: 'choice',
      choices: [
        ['lfp', 'lithium iron phosphate'],
        ['nmc', 'lithium NMC'],
        ['lto', 'lithium titanate'],
        ['agm', 'lead-acid, AGM'],
        ['gel', 'lead-acid, gel'],
        ['flooded', 'lead-acid, flooded'],
      ],
    },
    { pointer: '/charge_warranty_a', label: 'Charge, warranty', unit: 'A' },
    { pointer: '/discharge_warranty_a', label: 'Discharge, warranty', unit: 'A' },
  ],
  'sun-charger/1': [
    ...about,
    { pointer: '/charge_max_a', label: 'Charges at most', unit: 'A', needed: true },
    { pointer: '/battery_v_max', label: 'Battery side, highest', unit: 'V', needed: true },
    { pointer: '/array_v_max', label: 'Array, highest', unit: 'V', needed: true },
    { pointer: '/class_v', label: 'Voltage class', unit: 'V', kind: 'whole' },
  ],
  'adapter/1': about,
  'controller/1': [...about, { pointer: '/meters_dc_loads', label: 'Meters DC loads', kind: 'switch' }],
}
/** What a module's BMS does, beside its ports. */
export const BMS_FIELDS: PlateField[] = [
  {
    pointer: '/bms/buffer',
    label: 'Reports of its limit',
    unit: '%',
    scale: 100,
    hint: 'such as 90 where it keeps a tenth back',
  },
  { pointer: '/bms/report_step_a', label: 'Reports in steps of', unit: 'A' },
  {
    pointer: '/bms/terminators',
    label: 'Ends of the bus',
    kind: 'choice',
    choices: [
      ['built-in', 'built in'],
      ['plug', 'a plug'],
      ['switch', 'a switch'],
    ],
  },
  { pointer: '/bms/silence_s', label: 'Link lost after', unit: 's', hint: 'without a message' },
  { pointer: '/bms/addresses/host_address', label: 'Address of the host', kind: 'whole' },
  { pointer: '/bms/addresses/first_other', label: 'Address of the first other', kind: 'whole' },
  { pointer: '/bms/addresses/switches', label: 'Address switches', kind: 'whole' },
  { pointer: '/bms/addresses/max_modules', label: 'Modules at most', kind: 'whole' },
]
export const KINDS: [string, string][] = [
  ['inverter/1', 'inverter-charger'],
  ['module/1', 'battery module'],
  ['sun-charger/1', 'sun charger'],
  ['controller/1', 'system controller'],
  ['adapter/1', 'adapter'],
]
/** A new profile says nothing that nobody has said. */
export function emptyProfile(kind: string): Record<string, unknown> {
  const menu = { settings: [] }
  if (kind === 'inverter/1') return { ewerer: kind, id: '', name: '', maker: '', topologies: ['single'], ...menu }
  if (kind === 'sun-charger/1' || kind === 'controller/1') return { ewerer: kind, id: '', name: '', maker: '', ...menu }
  return { ewerer: kind, id: '', name: '', maker: '' }
}
export const hasMenu = (kind: string): boolean => kind !== 'adapter/1' && kind !== 'module/1'
export const hasPorts = (kind: string): boolean => kind === 'inverter/1' || kind === 'sun-charger/1' || kind === 'module/1'
/** Where a kind of device keeps its ports and protocols: a battery's are its BMS's. */
export const portsAt = (kind: string): string => (kind === 'module/1' ? '/bms' : '')
