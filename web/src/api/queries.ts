import { queryOptions } from '@tanstack/react-query'
import { api, data } from './client'

/**
 * What every question is seen through. The revision is always a number once there is one: answers are
 * kept by lens, and "the newest" would go on naming answers of before an import.
 */
export type Lens = {
  slug: string
  revision?: number
  /** Changes made to the revision, by name, in order; left out: none. */
  change?: string[]
  /** What the changes said when this lens was made: another version of one is another lens. */
  said?: string
  /** What has failed, each as KIND:NAME, in order; left out: nothing. */
  fail?: string[]
  /** What devices are taken to forward by, as SOURCE or DEVICE=SOURCE; left out: as files say. */
  tables?: string[]
}

/** A flow, named as the API names its parts. */
export type FlowQuestion = {
  from: string
  to: string
  as: string
  size?: number
  source_port?: number
  dscp?: number
  may_fragment?: boolean
}

/** Answers to a question through a fixed lens never change. */
const SETTLED = { staleTime: Infinity } as const

/** A lens as requests carry it beside the network's name. */
export const through = ({ revision, change, fail, tables }: Lens) => ({ revision, change, fail, tables })

const at = (lens: Lens) => ({ path: { slug: lens.slug }, query: through(lens) })

export const sessionQuery = queryOptions({
  queryKey: ['session'],
  queryFn: ({ signal }) => data(api.GET('/api/session', { signal })),
  ...SETTLED,
})

export const networksQuery = queryOptions({
  queryKey: ['networks'],
  queryFn: ({ signal }) => data(api.GET('/api/networks', { signal })),
})

export const networkQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}', { params: { path: { slug } }, signal })),
    // Somebody else may import: a newer revision is told of, without asking for it.
    refetchInterval: 60_000,
    refetchOnWindowFocus: true,
  })

export const revisionsQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'revisions'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/revisions', { params: { path: { slug } }, signal })),
  })

export const membersQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'members'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/members', { params: { path: { slug } }, signal })),
  })

export const flowQuery = (lens: Lens, question: FlowQuestion) =>
  queryOptions({
    queryKey: ['flow', lens, question],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/flow', {
          params: {
            path: { slug: lens.slug },
            query: { ...through(lens), ...question },
          },
          signal,
        }),
      ),
    ...SETTLED,
  })

/** Another lens of the network, with which one is compared. */
export type Base = { revision?: number; change?: string[]; said?: string; fail?: string[] }

const based = (base: Base) => ({
  base_revision: base.revision,
  base_change: base.change,
  base_fail: base.fail,
})

/** All that is not the same in a lens as in another: asking the same again gives the same job. */
export const comparisonStart = (lens: Lens, base: Base) =>
  queryOptions({
    queryKey: ['comparison', lens, base],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/comparisons', {
          params: {
            path: { slug: lens.slug },
            query: { ...through(lens), ...based(base) },
          },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const comparisonQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'comparison'],
    queryFn: ({ signal }) => data(api.GET('/api/comparisons/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

// --- changes

/** All changes of a network. Others edit them too, so it is looked again. */
export const changesQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'changes'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/changes', { params: { path: { slug } }, signal })),
    refetchInterval: 60_000,
    refetchOnWindowFocus: true,
  })

/** One change with what was done to it. */
export const changeQuery = (slug: string, name: string) =>
  queryOptions({
    queryKey: ['network', slug, 'changes', name],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/changes/{name}', { params: { path: { slug, name } }, signal })),
  })

/** What a change does to the files of a revision, edit by edit; `version` is that of what it says. */
export const changeSeenQuery = (slug: string, revision: number, name: string, version: string) =>
  queryOptions({
    queryKey: ['change seen', slug, revision, name, version],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/changes/{name}/seen', {
          params: { path: { slug, name }, query: { revision } },
          signal,
        }),
      ),
    ...SETTLED,
  })

/** What stands at a place of a device's configuration, and what may. */
export const placeQuery = (lens: Lens, device: string, at: string[]) =>
  queryOptions({
    queryKey: ['place', lens, device, at],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/place', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), device, at } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const sheetStart = (lens: Lens, name: string) =>
  queryOptions({
    queryKey: ['sheet', lens, name],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/changes/{name}/sheets', {
          params: { path: { slug: lens.slug, name }, query: through(lens) },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const sheetQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'sheet'],
    queryFn: ({ signal }) => data(api.GET('/api/sheets/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

export const acceptedQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'accepted'],
    queryFn: ({ signal }) => data(api.GET('/api/accepted/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

// --- flows, routes, devices

export type OtherFlow = { other_from: string; other_to: string; other_as: string }

export const compareQuery = (lens: Lens, question: FlowQuestion, other: OtherFlow) =>
  queryOptions({
    queryKey: ['compare', lens, question, other],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/flow/compare', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), ...question, ...other } },
          signal,
        }),
      ),
    ...SETTLED,
  })

/** Whether a job is over, well or not. */
export const ended = (job: { status: string }) => job.status !== 'queued' && job.status !== 'running'

/** A job that goes on is looked at again and again until it ends, less often the longer it takes. */
const untilItEnds = ({ state }: { state: { data?: { status: string }; dataUpdateCount: number } }) =>
  state.data && ended(state.data) ? false : Math.min(2000, 250 + 25 * state.dataUpdateCount)

export const remedySearchQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'remedies'],
    queryFn: ({ signal }) => data(api.GET('/api/remedies/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

export const questionRunQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'questions'],
    queryFn: ({ signal }) => data(api.GET('/api/question-runs/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

export const jobsQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'jobs'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/jobs', { params: { path: { slug } }, signal })),
  })

export const savedQuestionsQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'questions'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/questions', { params: { path: { slug } }, signal })),
  })

export const casesQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['cases', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/cases', { params: at(lens), signal })),
    ...SETTLED,
  })

export const chartQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['chart', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/chart', { params: at(lens), signal })),
    ...SETTLED,
  })

export const placesQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'chart-places'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/chart/places', { params: { path: { slug } }, signal })),
    staleTime: Infinity,
  })

export const deviceQuery = (lens: Lens, device: string) =>
  queryOptions({
    queryKey: ['device', lens, device],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/devices/{device}', {
          params: { path: { slug: lens.slug, device }, query: { ...through(lens) } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const holdersQuery = (lens: Lens, q: string) =>
  queryOptions({
    queryKey: ['holders', lens, q],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/holders', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), q } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const whyQuery = (lens: Lens, q: string, device: string, vrf: string) =>
  queryOptions({
    queryKey: ['why', lens, q, device, vrf],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/why', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), q, device, vrf } },
          signal,
        }),
      ),
    ...SETTLED,
  })

/** Asking the same again gives the same job: this starts the search, or finds it. */
export const wouldTakeStart = (lens: Lens, q: string, device: string, vrf: string) =>
  queryOptions({
    queryKey: ['would-take', lens, q, device, vrf],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/would-take', { params: at(lens), body: { q, device, vrf }, signal }),
      ),
    ...SETTLED,
  })

export const wouldTakeQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'would-take'],
    queryFn: ({ signal }) => data(api.GET('/api/would-take/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

/** Asking the same again gives the same job: this starts the search, or finds it. */
export const mendingStart = (lens: Lens) =>
  queryOptions({
    queryKey: ['mending', lens],
    queryFn: ({ signal }) => data(api.POST('/api/networks/{slug}/mending', { params: at(lens), signal })),
    ...SETTLED,
  })

export const mendingQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'mending'],
    queryFn: ({ signal }) => data(api.GET('/api/mending/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

export const bounceQuery = (lens: Lens, device: string, vrf: string, neighbour: string) =>
  queryOptions({
    queryKey: ['bounce', lens, device, vrf, neighbour],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/sessions/bounce', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), device, vrf, neighbour } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const sessionsQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['sessions', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/sessions', { params: at(lens), signal })),
    ...SETTLED,
  })

/** Computed tables held against those that were read; whatever the lens chooses, all are computed. */
export const agreementQuery = (lens: Lens) => {
  const all = { ...lens, tables: undefined }
  return queryOptions({
    queryKey: ['agreement', all],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/agreement', { params: at(all), signal })),
    ...SETTLED,
  })
}

export const policiesQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['policies', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/policies', { params: at(lens), signal })),
    ...SETTLED,
  })

/** One route through one policy. A question, though it is posted: nothing is changed by it. */
export const policyTrialQuery = (
  lens: Lens,
  device: string,
  policy: string,
  route: Record<string, unknown>,
) =>
  queryOptions({
    queryKey: ['policy', lens, device, policy, route],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/policies/try', {
          params: at(lens),
          body: { device, policy, route },
          signal,
        }),
      ),
    ...SETTLED,
  })

export type TableQuestion = {
  device: string
  vrf?: string
  other?: string
  /** The lens in which the same table stands beside it. */
  before?: Base
  contains?: string
  differing?: boolean
}

/** Rows of a table come in pages of this many, as they are scrolled to. */
export const TABLE_PAGE = 200

export const tableQuery = (lens: Lens, question: TableQuestion, page: number) =>
  queryOptions({
    queryKey: ['table', lens, question, page],
    queryFn: ({ signal }) => tablePage(lens, question, page * TABLE_PAGE, TABLE_PAGE, signal),
    ...SETTLED,
  })

/** Some rows of a table, from an offset on. */
export const tablePage = (
  lens: Lens,
  { before, ...question }: TableQuestion,
  offset: number,
  limit: number,
  signal?: AbortSignal,
) =>
  data(
    api.GET('/api/networks/{slug}/table', {
      params: {
        path: { slug: lens.slug },
        query: {
          ...through(lens),
          ...(before && { ...based(before), before: true }),
          ...question,
          offset,
          limit,
        },
      },
      signal,
    }),
  )

export const findingsQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['findings', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/findings', { params: at(lens), signal })),
    ...SETTLED,
  })

/** Changes as people mute, and as older revisions are looked at. */
export const findingNotesQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['finding notes', lens],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/findings/notes', { params: at(lens), signal })),
  })

export const flowsOverQuery = (lens: Lens, ends: string[]) =>
  queryOptions({
    queryKey: ['flows over', lens, ends],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/flows-over', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), ends } },
          signal,
        }),
      ),
    // Saved questions come and go.
    staleTime: 30_000,
  })

export const namesQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['names', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/names', { params: at(lens), signal })),
    ...SETTLED,
  })

export const findQuery = (lens: Lens, q: string, endpoints: boolean) =>
  queryOptions({
    queryKey: ['find', lens, q, endpoints],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/find', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), q, endpoints } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export const filesQuery = (lens: Lens) =>
  queryOptions({
    queryKey: ['files', lens],
    queryFn: ({ signal }) => data(api.GET('/api/networks/{slug}/files', { params: at(lens), signal })),
    ...SETTLED,
  })

export const fileQuery = (lens: Lens, path: string) =>
  queryOptions({
    queryKey: ['file', lens, path],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/files/{path}', {
          params: { path: { slug: lens.slug, path }, query: { ...through(lens) } },
          pathSerializer: keepSlashes,
          signal,
        }),
      ),
    ...SETTLED,
  })

export const importQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'import'],
    queryFn: ({ signal }) => data(api.GET('/api/imports/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

/** The kinds of lists that are read, and their columns. */
export const listKindsQuery = (slug: string) =>
  queryOptions({
    queryKey: ['list-kinds', slug],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/lists', { params: { path: { slug } }, signal })),
    staleTime: Infinity,
  })

export const importFileQuery = (id: number, path: string) =>
  queryOptions({
    queryKey: ['job', id, 'file', path],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/imports/{id}/files/{path}', {
          params: { path: { id, path } },
          pathSerializer: keepSlashes,
          signal,
        }),
      ),
    ...SETTLED,
  })

/** A file's path is part of the address as it stands; only its pieces are encoded. */
function keepSlashes(pathname: string, params: Record<string, unknown>): string {
  return pathname.replace(/\{(\w+)\}/g, (_, name: string) =>
    String(params[name]).split('/').map(encodeURIComponent).join('/'),
  )
}

// --- promises and failures

/** How all promises stand in a lens: asking the same again gives the same job. */
export const promiseCheckStart = (lens: Lens, failures: boolean) =>
  queryOptions({
    queryKey: ['promise-check', lens, failures],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/promises/checks', { params: at(lens), body: { failures }, signal }),
      ),
  })

export const promiseCheckQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'promises'],
    queryFn: ({ signal }) => data(api.GET('/api/promise-checks/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

/** What might be promised of a lens: a job, found again where the same was asked before. */
export const suggestionsStart = (lens: Lens) =>
  queryOptions({
    queryKey: ['suggestions', lens],
    queryFn: ({ signal }) =>
      data(api.POST('/api/networks/{slug}/promises/suggestions', { params: at(lens), signal })),
    staleTime: Infinity,
  })

export const suggestionsQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'suggestions'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/promise-suggestions/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

/** The promises that are kept here and not in the files: those can be said otherwise. */
export const storedPromisesQuery = (slug: string) =>
  queryOptions({
    queryKey: ['network', slug, 'promises'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/promises', { params: { path: { slug } }, signal })),
  })

export const promiseHistoryQuery = (slug: string, name: string) =>
  queryOptions({
    queryKey: ['network', slug, 'promise', name],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/promises/{name}/history', {
          params: { path: { slug, name } },
          signal,
        }),
      ),
  })

/** The promises that use a thing. */
export const impactQuery = (lens: Lens, used: Record<string, string | number>) =>
  queryOptions({
    queryKey: ['impact', lens, used],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/networks/{slug}/promises/impact', {
          params: { path: { slug: lens.slug }, query: { ...through(lens), ...used } },
          signal,
        }),
      ),
    ...SETTLED,
  })

export type FailureKind = 'link' | 'device' | 'interface' | 'site' | 'group' | 'line' | 'session'

export type SweepAsked = {
  kinds: FailureKind[]
  pairs: boolean
  /** All smallest sets that break it are searched for. */
  promise?: string
  /** The same without the lens's changes. */
  before: boolean
}

export const sweepStart = (lens: Lens, { kinds, pairs, promise = '', before }: SweepAsked) =>
  queryOptions({
    queryKey: ['sweep', lens, kinds, pairs, promise, before],
    queryFn: ({ signal }) =>
      data(
        api.POST('/api/networks/{slug}/sweeps', {
          params: at(lens),
          body: { kinds, pairs, promise, size: 3, before },
          signal,
        }),
      ),
  })

export const sweepQuery = (id: number) =>
  queryOptions({
    queryKey: ['job', id, 'sweep'],
    queryFn: ({ signal }) => data(api.GET('/api/sweeps/{id}', { params: { path: { id } }, signal })),
    refetchInterval: untilItEnds,
  })

// --- programs, and who did what

export const tokensQuery = queryOptions({
  queryKey: ['tokens'],
  queryFn: ({ signal }) => data(api.GET('/api/tokens', { signal })),
})

export const auditQuery = (slug: string, asked: { who?: string; action?: AuditAction; text?: string }) =>
  queryOptions({
    queryKey: ['network', slug, 'audit', asked],
    queryFn: ({ signal }) =>
      data(api.GET('/api/networks/{slug}/audit', { params: { path: { slug }, query: asked }, signal })),
  })

export type AuditAction =
  | 'login' | 'import' | 'change' | 'accept' | 'promises' | 'sweep' | 'members' | 'token' | 'network' // prettier-ignore
