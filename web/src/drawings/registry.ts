import { defineAsyncComponent, type Component } from 'vue'

import type { Schemas } from '../api/client'
import { lookUp } from '../stations/changes'
import BeadDrawing from './BeadDrawing.vue'
import BedDrawing from './BedDrawing.vue'
import CardsDrawing from './CardsDrawing.vue'
import CeilingDrawing from './CeilingDrawing.vue'
import ChangesTable from './ChangesTable.vue'
import CombsDrawing from './CombsDrawing.vue'
import CubeDrawing from './CubeDrawing.vue'
import DriveDrawing from './DriveDrawing.vue'
import LadderDrawing from './LadderDrawing.vue'
import LinesDrawing from './LinesDrawing.vue'
import PatchDrawing from './PatchDrawing.vue'
import ScoreSheet from './ScoreSheet.vue'
import SensorDrawing from './SensorDrawing.vue'
import StringsSheet from './StringsSheet.vue'
import SurfaceSheet from './SurfaceSheet.vue'
import TightenDrawing from './TightenDrawing.vue'
import WallDrawing from './WallDrawing.vue'

/** What a drawing is fed with: numbers that the core has read, in °C and mm, and how it says them. */
export interface Shown {
  readings: unknown
  finding: Schemas['Finding'] | null
  /** The number in a field. */
  v: (path: string) => number | null
  /** The same in words. */
  says: (path: string) => string
  /** What the connected printer's nozzle has now [°C]. */
  nozzleC: number | null
}

/* Facts of one station: it and its drawing know their shape, nobody else. */
const own = <T>(shown: Shown) => (shown.finding?.facts.own ?? {}) as Partial<T>
const list = (shown: Shown, path: string) => {
  const found = lookUp(shown.readings, path)
  return Array.isArray(found) ? (found as unknown[]) : []
}
const text = (shown: Shown, path: string) => {
  const found = lookUp(shown.readings, path)
  return typeof found === 'string' ? found : ''
}

interface Drawing {
  view: Component
  props: (shown: Shown) => Record<string, unknown>
}

/** Drawings by the names that forms call them. */
export const drawings: Record<string, Drawing | undefined> = {
  drive: {
    view: DriveDrawing,
    props: (s) => {
      const newest = `runs.${list(s, '/runs').findLastIndex(Boolean)}`
      return {
        mark: s.v('mark_mm'),
        markSays: s.says('mark_mm'),
        rest: s.v(newest),
        restSays: s.says(newest),
      }
    },
  },
  wall: {
    view: WallDrawing,
    props: (s) => ({
      walls: list(s, '/walls').map((w, i) => ({ side: lookUp(w, '/side'), mm: s.v(`walls.${i}.t_mm`) })),
      target: s.v('wall_mm'),
      says: s.says('wall_mm'),
    }),
  },
  patches: {
    view: PatchDrawing,
    props: (s) => ({
      method: text(s, '/method'),
      commanded: s.v('commanded_mm'),
      band: s.finding?.facts.bands[0],
      words: s.finding?.words.bands[0],
    }),
  },
  bed: {
    view: BedDrawing,
    props: (s) => ({
      points: list(s, '/points').map((p, i) => ({
        name: lookUp(p, '/name'),
        screw: lookUp(p, '/screw'),
        x: s.v(`points.${i}.x_mm`),
        y: s.v(`points.${i}.y_mm`),
        says: s.says(`points.${i}.z_mm`),
      })),
      // At each screw which way and how far, with its words; only where they are to be turned.
      turns:
        s.finding?.facts.verdict === 'adjust'
          ? (own<{ screws: { name: string; turns: number }[] }>(s).screws ?? []).map((screw, i) => ({
              ...screw,
              says: s.finding?.words.plain[i]?.value ?? '',
            }))
          : [],
    }),
  },
  ceiling: {
    view: CeilingDrawing,
    props: (s) => ({
      // Every part's limit with its words: the finding's rows begin with them.
      limits: (own<{ limits: { most_c: number }[] }>(s).limits ?? []).map((l, i) => ({
        c: l.most_c,
        name: s.finding?.words.rows[i]?.name ?? '',
        shown: s.finding?.words.rows[i]?.after ?? '',
      })),
      planned: s.v('planned_c'),
      says: s.says('planned_c'),
    }),
  },
  tighten: { view: TightenDrawing, props: (s) => ({ at: s.v('at_c'), now: s.nozzleC }) },
  sensor: {
    view: SensorDrawing,
    props: (s) => ({ room: s.v('room_c'), shown: s.v('shown_c'), ohm: s.v('ohm') }),
  },
  wrong_type: {
    view: defineAsyncComponent(() => import('./OtherSensor.vue')),
    props: (s) => ({
      set: text(s, '/set_type'),
      seen: own<{ fitted_type: string | null }>(s).fitted_type ?? null,
    }),
  },
  bead: {
    view: BeadDrawing,
    props: (s) => ({
      bore: s.v('bore'),
      width: s.v('outer_width'),
      layer: s.v('layer'),
      boreSays: s.says('bore'),
      widthSays: s.says('outer_width'),
      layerSays: s.says('layer'),
    }),
  },
  scores: { view: ScoreSheet, props: () => ({}) },
  strings: { view: StringsSheet, props: () => ({}) },
  surface: { view: SurfaceSheet, props: () => ({}) },
  lines: { view: LinesDrawing, props: () => ({}) },
  cards: { view: CardsDrawing, props: () => ({ bands: false }) },
  bands: { view: CardsDrawing, props: (s) => ({ bands: true, count: s.v('count') }) },
  combs: {
    view: CombsDrawing,
    props: (s) => ({ tooth: s.v(`readings.${list(s, '/readings').length - 1}.x`) }),
  },
  ladder: {
    view: LadderDrawing,
    props: (s) => {
      const found = own<{ ladder: unknown; line: unknown }>(s)
      return { ladder: found.ladder ?? [], line: found.line ?? null }
    },
  },
  valley: {
    view: defineAsyncComponent(() => import('./ValleyDrawing.vue')),
    props: (s) => {
      const found = own<{ surface: unknown; prints: unknown; taken: unknown; next: unknown }>(s)
      return {
        surface: found.surface ?? null,
        prints: found.prints ?? [],
        taken: found.taken ?? null,
        next: found.next ?? null,
      }
    },
  },
  cube: { view: CubeDrawing, props: (s) => ({ edge: s.says('edge_mm') }) },
  changes: {
    view: ChangesTable,
    props: (s) => ({
      read: text(s, '/report') !== '' && s.finding !== null,
      changes: (own<{ changed: { by: string | null }[] }>(s).changed ?? []).flatMap((c, i) => {
        const row = s.finding?.words.rows[i]
        return row ? [{ ...row, known: c.by !== null }] : []
      }),
    }),
  },
}
