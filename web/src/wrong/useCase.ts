import { useQuery, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'

import { answer, client, type Schemas } from '../api/client'
import { useAttempt } from '../ui/attempt'

export type CasePage = Schemas['CasePage']
export type Step = Schemas['StepShown']
export type CaseEntry = Schemas['CaseEntry']

/** A case, and what is told of it; every answer goes to disk when it is given. */
export function useCase(id: Ref<number>) {
  const queries = useQueryClient()
  const { failure, busy, attempt } = useAttempt()
  const path = () => ({ params: { path: { id: id.value } } })
  const { data, error } = useQuery({
    queryKey: ['case', id],
    queryFn: () => answer(client.GET('/api/v1/cases/{id}', path())),
  })

  function show(page: CasePage | null) {
    if (page) queries.setQueryData(['case', id], page)
    return page
  }
  const tell = async (entries: CaseEntry[], typed: { observation: string; value: string }[] = []) =>
    show(
      await attempt(() =>
        answer(client.POST('/api/v1/cases/{id}/entries', { ...path(), body: { entries, typed } })),
      ),
    )
  const takeLog = async (trace: number, moved: boolean) =>
    show(
      await attempt(() =>
        answer(client.POST('/api/v1/cases/{id}/log', { ...path(), body: { trace, moved } })),
      ),
    )
  /** What was proven in an earlier case of this job is back. */
  const isBack = async (earlier: number) => {
    const page = await attempt(() =>
      answer(client.POST('/api/v1/cases/{id}/back', { ...path(), body: { case: earlier } })),
    )
    if (page) await queries.invalidateQueries()
    return show(page)
  }
  const end = async (body: Schemas['EndCase']) => {
    const ended = await attempt(() => answer(client.POST('/api/v1/cases/{id}/end', { ...path(), body })))
    if (ended) await queries.invalidateQueries()
    return ended
  }
  const jobFor = async (by: string) => {
    const made = await attempt(() =>
      answer(client.POST('/api/v1/cases/{id}/job', { ...path(), body: { by, filament_ids: [] } })),
    )
    if (made) await queries.invalidateQueries()
    return made
  }
  const followUp = async (day: string | null) => {
    const done = await attempt(() =>
      answer(client.PUT('/api/v1/cases/{id}/follow-up', { ...path(), body: { day } })).then(() => true),
    )
    if (done) await queries.invalidateQueries()
    return done
  }
  const price = async (what: string, typed: string) => {
    const done = await attempt(() =>
      answer(client.PUT('/api/v1/house/prices', { body: { what, price: typed } })).then(() => true),
    )
    if (done) await queries.invalidateQueries({ queryKey: ['case', id] })
    return done
  }
  return { data, error, failure, busy, tell, takeLog, isBack, end, jobFor, followUp, price }
}

export const yes = (observation: string): CaseEntry => ({ entry: 'seen', observation, answer: 'yes' })
export const no = (observation: string): CaseEntry => ({ entry: 'seen', observation, answer: 'no' })
export const unsure = (observation: string): CaseEntry => ({ entry: 'seen', observation, answer: 'unsure' })
