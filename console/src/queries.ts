import {
  QueryClient,
  type QueryKey,
  useInfiniteQuery,
  useMutation,
  useQueries,
  useQuery,
} from '@tanstack/vue-query'
import { computed, type Ref, ref } from 'vue'

import { api, ProblemError, unwrap, type Schemas } from './api/client'

type State = 'waiting' | 'accepted' | 'returned'

/** The keys of all queries. */
export const keys = {
  session: ['session'] as const,
  titles: (q: Ref<string>) => ['titles', q] as const,
  title: (id: Ref<string>) => ['title', id] as const,
  history: (id: Ref<string>) => ['title', id, 'history'] as const,
  allContributions: ['contributions'] as const,
  contributions: (state: Ref<State>) => ['contributions', state] as const,
  anyContribution: ['contribution'] as const,
  contribution: (number: Ref<number>) => ['contribution', number] as const,
  revisions: ['revisions'] as const,
  launchers: ['launchers'] as const,
  launcher: (id: Ref<string>) => ['launcher', id] as const,
  bench: ['bench'] as const,
}

/** What accepting a contribution changes. */
const published = [['titles'], ['title'], keys.revisions, keys.launchers, ['launcher']]

/** All that the service knows is asked for here, and nowhere else. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      networkMode: 'always', // offline is said at once, not waited out
      staleTime: 10_000,
      // What the service refused it will refuse again; only silence is worth a second try.
      retry: (count, error) => count < 2 && error instanceof ProblemError && error.problem.status === 0,
    },
    mutations: { networkMode: 'always' },
  },
})

/** Set while a sign-in is asked for over the page that one is on. */
export const signInWanted = ref(false)

// Tabs agree on who is signed in.
const tabs = typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel('endroit-session')
if (tabs) tabs.onmessage = () => void queryClient.invalidateQueries()

export const useSession = () =>
  useQuery({ queryKey: keys.session, queryFn: ({ signal }) => unwrap(api.GET('/session', { signal })) })

export const useSignIn = () =>
  useMutation({
    mutationFn: (body: { name: string; password: string }) => unwrap(api.POST('/session', { body })),
    onSuccess: () => {
      tabs?.postMessage('signed in')
      return queryClient.invalidateQueries() // what one may see depends on who one is
    },
  })

export const useSignOut = () =>
  useMutation({
    mutationFn: () => unwrap(api.DELETE('/session')),
    onSuccess: () => {
      tabs?.postMessage('signed out')
      return queryClient.resetQueries()
    },
  })

/** A list that comes in pages, with all items so far. */
function usePages<T>(
  queryKey: QueryKey,
  load: (cursor: string | undefined, signal: AbortSignal) => Promise<{ items: T[]; next: string }>,
  enabled: Ref<boolean> = ref(true),
) {
  const list = useInfiniteQuery({
    queryKey,
    queryFn: ({ pageParam, signal }) => load(pageParam, signal),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next || undefined,
    enabled,
  })
  return { ...list, items: computed(() => list.data.value?.pages.flatMap((p) => p.items) ?? []) }
}

export const useTitles = (q: Ref<string>) =>
  usePages(keys.titles(q), (cursor, signal) =>
    unwrap(api.GET('/titles', { params: { query: { q: q.value, cursor } }, signal })),
  )

export const useTitle = (id: Ref<string>) =>
  useQuery({
    queryKey: keys.title(id),
    queryFn: ({ signal }) => unwrap(api.GET('/titles/{id}', { params: { path: { id: id.value } }, signal })),
    enabled: () => id.value !== '',
  })

/** What changed a title; asked for once it is wanted. */
export const useHistory = (id: Ref<string>, wanted: Ref<boolean>) =>
  usePages(
    keys.history(id),
    (cursor, signal) =>
      unwrap(
        api.GET('/titles/{id}/history', {
          params: { path: { id: id.value }, query: { cursor, limit: 20 } },
          signal,
        }),
      ),
    wanted,
  )

export const useContributions = (state: Ref<State>) =>
  usePages(keys.contributions(state), (cursor, signal) =>
    unwrap(api.GET('/contributions', { params: { query: { state: state.value, cursor } }, signal })),
  )

export const useContribution = (number: Ref<number>) =>
  useQuery({
    queryKey: keys.contribution(number),
    queryFn: ({ signal }) =>
      unwrap(api.GET('/contributions/{number}', { params: { path: { number: number.value } }, signal })),
    // What was accepted is published within seconds.
    refetchInterval: ({ state: { data, dataUpdateCount } }) =>
      data?.state === 'accepted' && data.revision === null && dataUpdateCount < 20 ? 1000 : false,
  })

/** Asks again for what a decision on a contribution changes. */
const decided = (...more: readonly (readonly string[])[]) =>
  Promise.all(
    [keys.allContributions, keys.anyContribution, ...more].map((queryKey) =>
      queryClient.invalidateQueries({ queryKey: [...queryKey] }),
    ),
  )

export const useAccept = () =>
  useMutation({
    mutationFn: (number: number) =>
      unwrap(api.POST('/contributions/{number}/accept', { params: { path: { number } } })),
    onSettled: () => decided(...published),
  })

export const useReturn = () =>
  useMutation({
    mutationFn: ({ number, because }: { number: number; because: string }) =>
      unwrap(api.POST('/contributions/{number}/return', { params: { path: { number } }, body: { because } })),
    onSettled: () => decided(),
  })

/** Sends a contribution; what was sent already under its key is not stored twice. */
export const useSubmit = () =>
  useMutation({
    mutationFn: ({ key, body }: { key: string; body: Schemas['TitleBody'] | Schemas['LocationBody'] }) =>
      unwrap(
        api.POST('/contributions', {
          params: { header: { 'Idempotency-Key': key } },
          body,
        }),
      ),
    onSettled: () => decided(),
  })

export const useRevisions = () =>
  usePages(keys.revisions, (cursor, signal) =>
    unwrap(api.GET('/revisions', { params: { query: { cursor } }, signal })),
  )

export const useLaunchers = () =>
  usePages(keys.launchers, (cursor, signal) =>
    unwrap(api.GET('/launchers', { params: { query: { cursor } }, signal })),
  )

export const useLauncher = (id: Ref<string>) =>
  useQuery({
    queryKey: keys.launcher(id),
    queryFn: ({ signal }) =>
      unwrap(api.GET('/launchers/{id}', { params: { path: { id: id.value } }, signal })),
  })

/** The launchers that could keep cloud copies of a variant: its store's and the one that starts it. */
export function useCloudOf(variant: Ref<Schemas['Variant']>) {
  const list = useLaunchers()
  const ids = computed(() => [...new Set([variant.value.store, variant.value.launcher])].filter(Boolean))
  const listed = computed(() => list.items.value.filter((l) => ids.value.includes(l.id) && l.usual))
  const sheets = useQueries({
    // What has no sheet is not asked for.
    queries: computed(() =>
      listed.value.map((l) => ({
        queryKey: keys.launcher(ref(l.id)),
        queryFn: ({ signal }: { signal: AbortSignal }) =>
          unwrap(api.GET('/launchers/{id}', { params: { path: { id: l.id } }, signal })),
      })),
    ),
  })
  return computed(() => {
    const unlisted = ids.value.filter((id) => !list.items.value.some((l) => l.id === id))
    const known = sheets.value.some((s) =>
      s.data?.sheets
        .find((x) => x.system === variant.value.os)
        ?.rows.some((r) => r.what.startsWith('switch for cloud copies')),
    )
    return { launchers: [...listed.value.map((l) => l.name), ...unlisted], known }
  })
}

/** The workbench of a contribution, or of the trace that is served here if there is no number. */
export const useBench = (number: Ref<number | undefined>) =>
  useQuery({
    queryKey: [...keys.bench, number],
    queryFn: () =>
      number.value === undefined
        ? unwrap(api.GET('/workbench'))
        : unwrap(
            api.GET('/contributions/{number}/workbench', { params: { path: { number: number.value } } }),
          ),
    staleTime: Infinity,
    refetchOnWindowFocus: false,
    shallow: true, // tens of thousands of files, which nothing changes
    structuralSharing: false,
  })

export const useBenchFile = (number: Ref<number | undefined>, file: Ref<number | undefined>) =>
  useQuery({
    queryKey: [...keys.bench, number, 'file', file],
    queryFn: () => {
      const path = { file: file.value! }
      return number.value === undefined
        ? unwrap(api.GET('/workbench/files/{file}', { params: { path } }))
        : unwrap(
            api.GET('/contributions/{number}/workbench/files/{file}', {
              params: { path: { ...path, number: number.value } },
            }),
          )
    },
    enabled: () => file.value !== undefined,
  })

export const useSteps = (file: Ref<number>, span: Ref<{ from: number; to: number }>) =>
  useQuery({
    queryKey: [...keys.bench, 'steps', file, span],
    queryFn: () =>
      unwrap(
        api.GET('/workbench/files/{file}/steps', {
          params: {
            path: { file: file.value },
            query: { from: Math.floor(span.value.from), to: Math.ceil(span.value.to) },
          },
        }),
      ),
    placeholderData: (before) => before,
  })

export const useBytes = (file: Ref<number>, version: Ref<string>, at: Ref<number>, facts: Ref<boolean>) =>
  useQuery({
    queryKey: [...keys.bench, 'bytes', file, version, at, facts],
    queryFn: () =>
      unwrap(
        api.GET('/workbench/files/{file}/bytes', {
          params: {
            path: { file: file.value },
            query: { version: version.value, at: at.value, facts: facts.value || undefined },
          },
        }),
      ),
    enabled: () => version.value !== '',
    placeholderData: (before) => before,
  })

export const useDifferences = (file: Ref<number>, from: Ref<string>, to: Ref<string>) =>
  useQuery({
    queryKey: [...keys.bench, 'differences', file, from, to],
    queryFn: () =>
      unwrap(
        api.GET('/workbench/files/{file}/differences', {
          params: { path: { file: file.value }, query: { from: from.value, to: to.value } },
        }),
      ),
    enabled: () => from.value !== '' && to.value !== '',
  })

export const useSums = () =>
  useMutation({
    mutationFn: (x: { file: number; version: string; against?: string }) =>
      unwrap(
        api.GET('/workbench/files/{file}/sums', {
          params: { path: { file: x.file }, query: { version: x.version, against: x.against } },
        }),
      ),
  })

type Tried = { title: string; locations: { at: string; holds: string }[] }

export const useFeedback = (number: Ref<number | undefined>, draft: Ref<Tried>) =>
  useQuery({
    queryKey: [...keys.bench, number, 'feedback', draft],
    queryFn: () =>
      number.value === undefined
        ? unwrap(api.POST('/workbench/feedback', { body: draft.value }))
        : unwrap(
            api.POST('/contributions/{number}/workbench/feedback', {
              params: { path: { number: number.value } },
              body: draft.value,
            }),
          ),
    placeholderData: (before) => before,
  })

type Kind = Schemas['Kind']

export const useCorrect = (number: Ref<number | undefined>) =>
  useMutation({
    mutationFn: (body: { file: string; kind: Kind; because: string }) =>
      number.value === undefined
        ? unwrap(api.POST('/workbench/corrections', { body }))
        : unwrap(
            api.POST('/contributions/{number}/workbench/corrections', {
              params: { path: { number: number.value } },
              body,
            }),
          ),
    onSettled: () =>
      Promise.all(
        [keys.bench, keys.anyContribution].map((queryKey) => queryClient.invalidateQueries({ queryKey })),
      ),
  })

/** Applies the answers in a draft in the making; nothing is kept. */
export const useAnswers = () =>
  useMutation({
    mutationFn: (draft: Schemas['Draft']) => unwrap(api.POST('/workbench/answers', { body: { draft } })),
  })

export const useSaveDraft = () =>
  useMutation({
    mutationFn: (body: { draft: Schemas['Draft']; digest: string }) =>
      unwrap(api.PUT('/workbench/draft', { body })),
  })
