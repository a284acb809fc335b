import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { computed, nextTick, onScopeDispose, shallowReadonly, ref, shallowRef, watch, type Ref } from 'vue'

import { ServerError, answer, client, type Schemas } from '../api/client'
import { useLive } from '../live/useLive'
import { afterPress } from '../ui/press'
import { differences, lookUp, putAt, takeOver, touches } from './changes'

type FieldError = Schemas['FieldError']
/** Readings of any station: only a view of its own knows their shape. */
export type Readings = Record<string, unknown>

/* Each opening asks anew: a station repeated after an adjust starts from its new before. */
let opened = 0

/** A station of a job: what is typed is kept on disk and evaluated while it is typed. */
export function useStation(job: Ref<number>, key: Ref<string>) {
  const queries = useQueryClient()
  const path = computed(() => ({ id: job.value, key: key.value }))
  const query = useQuery({
    queryKey: ['worktop', job, key, (opened += 1)],
    queryFn: () =>
      answer(client.GET('/api/v1/jobs/{id}/stops/{key}', { params: { path: { ...path.value } } })),
    refetchOnWindowFocus: false,
    gcTime: 0,
  })
  const readings = ref<Readings | null>(null)
  const finding = shallowRef<Schemas['Finding'] | null>(null)
  const problems = shallowRef<FieldError[]>([])
  const failure = ref('')
  const kept = ref<{ at: string | null; state: 'idle' | 'saving' | 'kept' | 'failed'; why: string }>({
    at: null,
    state: 'idle',
    why: '',
  })
  const setUp = shallowRef<Schemas['SetUp'] | null>(null)
  const form = shallowRef<Schemas['Form'] | null>(null)
  const conflicts = shallowRef<Schemas['DraftConflict'][]>([])
  /* What the server and this page agreed on last, and its revision. */
  let agreed: Readings = {}
  let base = 0
  const clone = (r: Readings) => JSON.parse(JSON.stringify(r)) as Readings
  /* What was typed here in fields in conflict, as it was last written. */
  const others = new Map<string, string>()
  const disputed = (at: string, all = conflicts.value) => all.some((c) => touches(c.path, at))
  /** What this page changed and the server doesn't know; a field in conflict doesn't replace what stands. */
  const pending = (now: Readings) =>
    differences(agreed, now)
      .filter((c) => !disputed(c.path) || others.get(c.path) !== JSON.stringify(c.value))
      .map((c) => (disputed(c.path) ? { ...c, base: 0 } : c))
  const tried = ref(false)
  const closing = ref(false)
  let asked = 0
  let edition = 0
  let saved = 0
  let saving: Promise<void> | null = null
  let gone = false
  onScopeDispose(() => {
    flush()
    gone = true
  })
  /** The last key before the page goes is kept too: the write outlives it. */
  function flush() {
    if (gone || saved === edition || !readings.value) return
    const changes = pending(readings.value)
    if (changes.length === 0) return
    const at = { params: { path: { ...path.value } }, keepalive: true }
    void client.PUT('/api/v1/jobs/{id}/stops/{key}/draft', { ...at, body: { base, changes } }).catch(() => {})
  }
  useEventListener(window, 'pagehide', flush)

  /* Something stands here that nothing is said of yet. */
  const looking = ref(false)
  async function evaluate() {
    const mine = ++asked
    const of = edition
    const done = () => {
      if (of === edition) looking.value = false
    }
    const station = query.data.value?.station
    if (!station || !readings.value) return
    try {
      const got = await answer(
        client.POST('/api/v1/stations/{station}/evaluate', {
          params: { path: { station } },
          body: {
            readings: readings.value,
            job: { id: job.value, stop: key.value },
          },
        }),
      )
      await afterPress()
      // A late answer never overwrites a newer one.
      if (mine !== asked) return
      finding.value = got
      problems.value = []
      failure.value = ''
      done()
    } catch (e) {
      await afterPress()
      if (mine !== asked) return
      done()
      if (!(e instanceof ServerError)) return
      finding.value = null
      problems.value = e.problem.errors
      failure.value = e.reached ? '' : e.problem.detail
    }
  }

  /** Takes over what other pages typed, save where something was typed here since or two values compete. */
  function agree(got: Pick<Schemas['Kept'], 'readings' | 'revision' | 'conflicts'>, sent: Readings) {
    if (!readings.value) return
    const mine = got.conflicts.map((c) => ({ path: c.path, value: lookUp(readings.value, c.path) }))
    takeOver(readings.value, sent, got.readings)
    for (const { path, value } of mine) putAt(readings.value, path, value)
    agreed = clone(got.readings as Readings)
    base = got.revision
    conflicts.value = got.conflicts
  }
  const { typed } = useLive()
  let heard = 0
  /** Fetches what was typed elsewhere; what is typed here goes out first, as of what this page had seen. */
  async function catchUp() {
    const idle = () => !saving && !gone && query.data.value?.line.state !== 'closed'
    if (heard <= base || !idle() || !readings.value) return
    if (pending(readings.value).length > 0) return void keep()
    try {
      const params = { params: { path: { ...path.value } } }
      const got = await answer(client.GET('/api/v1/jobs/{id}/stops/{key}', params))
      if (got.revision <= base || !idle()) return
      if (pending(readings.value).length > 0) return void keep()
      agree(got, agreed)
    } catch {
      // It comes with the next write.
    }
  }
  watch(typed, (news) => {
    if (news?.job !== job.value || news.stop !== key.value) return
    heard = news.revision
    void catchUp()
  })
  /** The value that competes with what stands: what is typed here, or else what was typed elsewhere. */
  function rival(conflict: Schemas['DraftConflict']): unknown {
    const here = lookUp(readings.value, conflict.path)
    return JSON.stringify(here) === JSON.stringify(conflict.kept) ? conflict.other : here
  }
  /** Settles a conflict: what stands is meant, or its rival is. */
  async function choose(conflict: Schemas['DraftConflict'], other: boolean) {
    if (!readings.value) return
    const value = other ? rival(conflict) : conflict.kept
    putAt(readings.value, conflict.path, value)
    others.delete(conflict.path)
    const body = { base, changes: [{ path: conflict.path, value }] }
    const params = { params: { path: { ...path.value } } }
    const sent = clone(readings.value)
    try {
      const got = await answer(client.PUT('/api/v1/jobs/{id}/stops/{key}/draft', { ...params, body }))
      agree(got, sent)
    } catch (e) {
      if (e instanceof ServerError) kept.value = { ...kept.value, state: 'failed', why: e.problem.detail }
    }
  }

  /** Writes the newest readings until the disk has them; one write at a time, in order. */
  function keep(): Promise<void> {
    saving ??= (async () => {
      const at = { ...path.value }
      while (saved !== edition && readings.value && !gone) {
        const writing = edition
        const sent = clone(readings.value)
        const changes = pending(sent)
        if (changes.length === 0) {
          saved = writing
          break
        }
        kept.value = { ...kept.value, state: 'saving' }
        try {
          const got = await answer(
            client.PUT('/api/v1/jobs/{id}/stops/{key}/draft', {
              params: { path: at },
              body: { base, changes },
            }),
          )
          saved = writing
          for (const c of changes)
            if (disputed(c.path, got.conflicts)) others.set(c.path, JSON.stringify(c.value))
          agree(got, sent)
          setUp.value = got.set_up
          form.value = got.form
          kept.value = { at: got.kept_at, state: 'kept', why: '' }
        } catch (e) {
          const why = e instanceof ServerError ? e.problem.detail : String(e)
          kept.value = { ...kept.value, state: 'failed', why }
          // Closed at another page: there is nothing left to write to.
          if (e instanceof ServerError && e.problem.status === 409) {
            gone = true
            return
          }
          // What is typed stays here and is written again until it is on disk.
          await new Promise((r) => setTimeout(r, 1500))
        }
      }
    })().finally(() => {
      saving = null
      void catchUp()
    })
    return saving
  }
  /** What stands here is on disk, and the form speaks of it: for what is made from the form. False once the page is gone. */
  async function settled(): Promise<boolean> {
    do {
      await keep()
      // What the disk's answer took over is written once more.
      await nextTick()
    } while (saved !== edition && !gone)
    return !gone
  }
  const soon = useDebounceFn(() => {
    void keep()
  }, 120)
  const evaluateSoon = useDebounceFn(() => {
    void evaluate()
  }, 40)

  watch(
    query.data,
    (data) => {
      if (!data) return
      if (readings.value === null) {
        readings.value = clone(data.readings as Readings)
        agreed = clone(data.readings as Readings)
        base = data.revision
        conflicts.value = data.conflicts
        setUp.value = data.set_up
        form.value = data.form
        kept.value = { at: null, state: data.kept ? 'kept' : 'idle', why: '' }
        void evaluate()
      }
    },
    { immediate: true },
  )
  let first = true
  watch(
    readings,
    (now) => {
      if (!now) return
      if (first) {
        first = false
        return
      }
      edition += 1
      looking.value = true
      void soon()
      void evaluateSoon()
    },
    { deep: true },
  )

  /** Complaint of a field, once it says more than "not typed yet". */
  function errorOf(field: string): FieldError | undefined {
    const quiet = (e: FieldError) => !tried.value && (e.code === 'missing' || e.code === 'count')
    return problems.value.find((e) => e.field === field && !quiet(e))
  }
  const fields = computed(
    () => new Map(form.value?.groups.flatMap((g) => g.fields.map((f) => [f.path, f] as const))),
  )
  /** What the core says of a field. */
  const fieldAt = (path: string) => fields.value.get(path)
  function accept(field: string, value: string) {
    const steps = field.split('.')
    const last = steps.pop()
    let at = readings.value
    for (const s of steps) at = at?.[s] as Readings
    if (at && last !== undefined) at[last] = value
  }
  function confirm(field: string) {
    const list = readings.value?.confirmed as string[] | undefined
    list?.push(field)
  }
  /** Everything a ReadingField of this path needs. */
  function field(at: string) {
    return {
      path: at,
      error: errorOf(at),
      unit: fieldAt(at)?.symbol,
      kept: fieldAt(at)?.kept,
      from: fieldAt(at)?.from ?? undefined,
      onAccept: (v: string) => {
        accept(at, v)
      },
      onConfirm: () => {
        confirm(at)
      },
    }
  }

  async function close(): Promise<Schemas['Closed'] | null> {
    tried.value = true
    if (!readings.value || closing.value) return null
    closing.value = true
    try {
      await keep()
      const got = await answer(
        client.POST('/api/v1/jobs/{id}/stops/{key}/close', {
          params: { path: { ...path.value } },
          body: { readings: readings.value },
        }),
      )
      gone = true
      return got
    } catch (e) {
      if (e instanceof ServerError) {
        // A refusal that names no field leaves what the fields complain of.
        if (e.problem.errors.length) problems.value = e.problem.errors
        failure.value = e.problem.errors.length ? '' : e.problem.detail
      }
      return null
    } finally {
      closing.value = false
    }
  }

  /** After a closing every other page's picture of the job is old. */
  async function refresh() {
    await Promise.all(
      ['job', 'bench', 'jobs', 'printer'].map((name) => queries.invalidateQueries({ queryKey: [name] })),
    )
  }

  /** After the shop changed the list itself: what is typed stays. */
  async function relist() {
    await query.refetch()
    await evaluate()
  }

  return {
    refresh,
    relist,
    worktop: query.data,
    loadError: query.error,
    readings,
    finding: shallowReadonly(finding),
    problems: shallowReadonly(problems),
    failure: shallowReadonly(failure),
    looking: shallowReadonly(looking),
    kept: shallowReadonly(kept),
    setUp: shallowReadonly(setUp),
    form: shallowReadonly(form),
    settled,
    fieldAt,
    conflicts: shallowReadonly(conflicts),
    rival,
    choose,
    tried,
    closing: shallowReadonly(closing),
    field,
    errorOf,
    close,
  }
}
export type Station = ReturnType<typeof useStation>

/** What every form needs: the readings, and what a ReadingField of a path needs. */
export function useForm<T extends object = Readings>(props: { station: Station }) {
  const r = computed(() => props.station.readings.value as T)
  const f = (path: string) => props.station.field(path)
  /** The number in a field, in °C or mm, whatever the shop is shown. */
  const v = (path: string) => props.station.fieldAt(path)?.value ?? null
  /** The same in words. */
  const says = (path: string) => props.station.fieldAt(path)?.says ?? ''
  return { r, f, v, says }
}
