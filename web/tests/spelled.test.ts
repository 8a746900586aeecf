import { describe, expect, it } from 'vitest'
import { asMeant, readDays, readTime, readYearDay } from '../src/ui/spelled'

describe('times as people type them', () => {
  it.each([
    ['7', '07:00'], ['07', '07:00'], ['7:30', '07:30'], ['7.30', '07:30'], ['7h30', '07:30'], ['7h', '07:00'], ['7 h', '07:00'], ['730', '07:30'],
    ['0730', '07:30'], ['1930', '19:30'], ['19:30', '19:30'], [' 19 : 30 ', '19:30'], ['7pm', '19:00'], ['7 PM', '19:00'], ['7:30 p.m.', '19:30'],
    ['12am', '00:00'], ['12 pm', '12:00'], ['noon', '12:00'], ['Midnight', '00:00'], ['24', '24:00'], ['24:00', '24:00'], ['0', '00:00'], ['18 Uhr', '18:00'],
    ["6 o'clock", '06:00'],
  ])('%s is %s', (typed, meant) => expect(readTime(typed)).toBe(meant)) // prettier-ignore
  it.each(['25', '7:60', '24:01', '13pm', '0am', 'soon', '', '7:3', '12345', '-7'])('%s is no time', (typed) =>
    expect(readTime(typed)).toBeNull(),
  )
  it('every minute of the day reads back as itself, and in twelve hours', () => {
    for (let m = 0; m < 1440; m++) {
      const [h, mm] = [Math.floor(m / 60), String(m % 60).padStart(2, '0')]
      const said = `${String(h).padStart(2, '0')}:${mm}`
      expect(readTime(said)).toBe(said)
      expect(readTime(`${h % 12 || 12}:${mm} ${h < 12 ? 'am' : 'pm'}`)).toBe(said)
    }
  })
})

describe('days as people type them', () => {
  it.each([
    ['all', 'all'], ['Every day', 'all'], ['daily', 'all'], ['mon-sun', 'all'], ['Mon-Fri', 'mon-fri'], ['Mon – Fri', 'mon-fri'], ['monday to friday', 'mon-fri'],
    ['Mo-Fr', 'mon-fri'], ['weekdays', 'mon-fri'], ['workdays', 'mon-fri'], ['Weekend', 'sat,sun'], ['Sat/Sun', 'sat,sun'], ['sat & sun', 'sat,sun'],
    ['Sa, Su', 'sat,sun'], ['mon wed fri', 'mon,wed,fri'], ['Mondays and Thursdays', 'mon,thu'], ['Tues, Thurs', 'tue,thu'], ['fri until mon', 'fri-mon'],
    ['weekdays, sat', 'mon-fri,sat'],
  ])('%s is %s', (typed, meant) => expect(readDays(typed)).toBe(meant)) // prettier-ignore
  it.each(['', 'm', 'someday', 'mon-wed-fri', 'mont', 'sunny'])('%s is no days', (typed) => expect(readDays(typed)).toBeNull())
})

describe('days of the year as people type them', () => {
  it.each([
    ['04-01', '04-01'], ['4-1', '04-01'], ['1 Apr', '04-01'], ['1. April', '04-01'], ['April 1st', '04-01'], ['1.4.', '04-01'], ['29 Feb', '02-29'],
    ['Dec 31', '12-31'],
  ])('%s is %s', (typed, meant) => expect(readYearDay(typed)).toBe(meant)) // prettier-ignore
  it.each(['', '13-01', '02-30', '4/1', 'April', '31 Jun', 'soon'])('%s is none, or could be two', (typed) =>
    expect(readYearDay(typed)).toBeNull(),
  )
})

it('reads each by its place and leaves the rest as typed', () => {
  expect(asMeant('/windows/0/from', '7pm')).toBe('19:00')
  expect(asMeant('/windows/0/from', 'soon')).toBe('soon')
  expect(asMeant('/generator/quiet_to', '6')).toBe('06:00')
  expect(asMeant('/windows/2/days', 'weekend')).toBe('sat,sun')
  expect(asMeant('/seasons/0/from', '1 Apr')).toBe('04-01')
  expect(asMeant('/windows/0/to_date', 'Dec 31')).toBe('12-31')
  expect(asMeant('/name', '7pm')).toBe('7pm')
})
