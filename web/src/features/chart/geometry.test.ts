import { expect, test } from 'vitest'
import { numbers } from './charts.testing'
import {
  alongLine,
  around,
  beside,
  BoxIndex,
  cross,
  distance,
  inside,
  lengthOf,
  overlap,
  type Box,
  type Point,
} from './geometry'

function holds(box: Box, point: Point): boolean {
  return Math.abs(point.x - box.x) * 2 < box.width && Math.abs(point.y - box.y) * 2 < box.height
}

const next = numbers(5)
const point = (): Point => ({ x: next(400) - 200, y: next(400) - 200 })
const box = (): Box => ({ ...point(), width: 10 + next(80), height: 10 + next(80) })
const TURNS = 300
const at = (a: Point, b: Point, share: number): Point => ({
  x: a.x + (b.x - a.x) * share,
  y: a.y + (b.y - a.y) * share,
})

test('the part of a way inside a box is where its points are inside', () => {
  for (let turn = 0; turn < TURNS; turn += 1) {
    const [a, b, here] = [point(), point(), box()]
    const part = inside(a, b, here)
    for (let step = 0; step <= 20; step += 1) {
      const share = step / 20
      const isIn = part !== null && share > part[0] + 1e-6 && share < part[1] - 1e-6
      const isOut = part === null || share < part[0] - 1e-6 || share > part[1] + 1e-6
      if (isIn) expect(holds(here, at(a, b, share))).toBe(true)
      if (isOut) expect(holds(here, at(a, b, share))).toBe(false)
    }
  }
})

test('two boxes lie on each other where a point is in both', () => {
  for (let turn = 0; turn < TURNS; turn += 1) {
    const [one, other] = [box(), box()]
    const both = around([one, other])
    const covered =
      both !== null && both.width < one.width + other.width && both.height < one.height + other.height
    expect(overlap(one, other)).toBe(covered)
    expect(overlap(other, one)).toBe(covered)
    expect(overlap(one, other, 1000)).toBe(true)
  }
})

test('stretches cross where their ends lie on either side of each other, and not in an end', () => {
  const [a, b] = [
    { x: 0, y: 0 },
    { x: 10, y: 10 },
  ]
  expect(cross(a, b, { x: 0, y: 10 }, { x: 10, y: 0 })).toBe(true)
  expect(cross(a, b, { x: 0, y: 10 }, { x: 4, y: 6 })).toBe(false)
  expect(cross(a, b, b, { x: 20, y: 0 })).toBe(false)
  expect(cross(a, b, { x: 1, y: 0 }, { x: 11, y: 10 })).toBe(false)
})

test('along a line one comes by every corner, at the length so far', () => {
  const line = [
    { x: 0, y: 0 },
    { x: 30, y: 0 },
    { x: 30, y: 40 },
    { x: 0, y: 0 },
  ]
  expect(lengthOf(line)).toBe(120)
  expect(alongLine(line, 15)).toEqual({ x: 15, y: 0, angle: 0 })
  expect(alongLine(line, 50)).toEqual({ x: 30, y: 20, angle: Math.PI / 2 })
  expect(alongLine(line, 1000)).toMatchObject({ x: 0, y: 0 })
  expect(alongLine([], 5)).toMatchObject({ x: 0, y: 0 })
})

test('beside a line keeps its distance; back and forth lie on the two sides', () => {
  for (let turn = 0; turn < TURNS; turn += 1) {
    const line = [point(), point()] as [Point, Point]
    if (distance(...line) < 1) continue
    const forth = beside(line, 6)
    const back = beside([...line].reverse(), 6)
    forth.forEach((moved, index) => expect(distance(moved, line[index] ?? moved)).toBeCloseTo(6))
    expect(distance(forth[0] ?? line[0], back[1] ?? line[0])).toBeCloseTo(12)
    expect(beside(line, 0)).toBe(line)
  }
})

test('an index finds every box that looking at all of them finds', () => {
  const boxes = Array.from({ length: 120 }, box)
  const index = new BoxIndex(boxes, 50)
  for (let turn = 0; turn < TURNS; turn += 1) {
    const [a, b, area] = [point(), point(), box()]
    const onWay = index.onWay(a, b)
    const near = index.near(area)
    for (const each of boxes) {
      if (inside(a, b, each)) expect(onWay.has(each)).toBe(true)
      if (overlap(each, area)) expect(near.has(each)).toBe(true)
    }
  }
})

test('around nothing there is no box', () => {
  expect(around([])).toBeNull()
  expect(around([{ x: 5, y: 5, width: 2, height: 4 }])).toEqual({ x: 5, y: 5, width: 2, height: 4 })
})
