// What the plate of a device says, and which settings its menu may have, for devices without a profile.
export const PLATE_FIELDS = {
  unit: ['continuous_w', 'surge_w', 'charge_max_a', 'ac_charge_max_a', 'class_v', 'battery_v_min', 'battery_v_max', 'ac_volts'],
  charger: ['charge_max_a', 'battery_v_max', 'array_v_max'],
}
/** Settings that nearly every device has. */
export const USUAL = {
  unit: ['absorb_v', 'float_v', 'shutdown_v', 'restart_v', 'charge_max_a', 'mains_charge_max_a'],
  charger: ['absorb_v', 'absorb_min', 'float_v', 'sun_charge_max_a'],
}
export const OFFERED = {
  unit: [
    ...USUAL.unit,
    'recharge_v',
    'alarm_v',
    'unit_off_v',
    'absorb_min',
    'discharge_max_a',
    'to_mains_v',
    'return_bank_v',
    'gen_start_v',
    'gen_stop_v',
    'shutdown_soc',
    'ac_input_max_a',
    'temp_comp_mv_per_c',
    'equalise_on',
    'capacity_ah',
  ],
  charger: [...USUAL.charger, 'tail_a', 'recharge_v', 'temp_comp_mv_per_c', 'equalise_on', 'low_temp_stop_c'],
}
