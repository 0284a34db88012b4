import { QueryClient, useInfiniteQuery, useMutation, useQuery } from '@tanstack/vue-query'
import type { Ref } from 'vue'

import { api, ProblemError, unwrap, type Schemas } from './api/client'

/** All that the service knows is asked for here, and nowhere else. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // What the service refused it will refuse again; only silence is worth a second try.
      retry: (count, error) => count < 2 && error instanceof ProblemError && error.problem.status === 0,
    },
  },
})

type State = 'waiting' | 'accepted' | 'returned'

export const useSession = () =>
  useQuery({ queryKey: ['session'], queryFn: () => unwrap(api.GET('/session')) })

export const useSignIn = () =>
  useMutation({
    mutationFn: (body: { name: string; password: string }) => unwrap(api.POST('/session', { body })),
    onSuccess: () => queryClient.invalidateQueries(),
  })

export const useSignOut = () =>
  useMutation({
    mutationFn: () => unwrap(api.DELETE('/session')),
    onSuccess: () => queryClient.resetQueries(),
  })

const nextPage = (last: { next: string }) => last.next || undefined

export const useTitles = (q: Ref<string>) =>
  useInfiniteQuery({
    queryKey: ['titles', q],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET('/titles', { params: { query: { q: q.value, cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: nextPage,
    placeholderData: (before) => before,
  })

export const useTitle = (id: Ref<string>) =>
  useQuery({
    queryKey: ['title', id],
    queryFn: () => unwrap(api.GET('/titles/{id}', { params: { path: { id: id.value } } })),
    enabled: () => id.value !== '',
  })

export const useContributions = (state: Ref<State>) =>
  useInfiniteQuery({
    queryKey: ['contributions', state],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET('/contributions', { params: { query: { state: state.value, cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: nextPage,
  })

export const useContribution = (number: Ref<number>) =>
  useQuery({
    queryKey: ['contribution', number],
    queryFn: () => unwrap(api.GET('/contributions/{number}', { params: { path: { number: number.value } } })),
  })

export const useAccept = () =>
  useMutation({
    mutationFn: (number: number) =>
      unwrap(api.POST('/contributions/{number}/accept', { params: { path: { number } } })),
    onSettled: () => queryClient.invalidateQueries(),
  })

export const useReturn = () =>
  useMutation({
    mutationFn: ({ number, because }: { number: number; because: string }) =>
      unwrap(api.POST('/contributions/{number}/return', { params: { path: { number } }, body: { because } })),
    onSettled: () => queryClient.invalidateQueries(),
  })

export const useRevisions = () =>
  useInfiniteQuery({
    queryKey: ['revisions'],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET('/manifest/revisions', { params: { query: { cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: nextPage,
  })

export const useLaunchers = () =>
  useInfiniteQuery({
    queryKey: ['launchers'],
    queryFn: ({ pageParam }) => unwrap(api.GET('/launchers', { params: { query: { cursor: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: nextPage,
  })

export const useLauncher = (id: Ref<string>) =>
  useQuery({
    queryKey: ['launcher', id],
    queryFn: () => unwrap(api.GET('/launchers/{id}', { params: { path: { id: id.value } } })),
  })

/** The workbench of a contribution, or of the trace that is served here if there is no number. */
export const useBench = (number: Ref<number | undefined>) =>
  useQuery({
    queryKey: ['bench', number],
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
    queryKey: ['bench', number, 'file', file],
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
    queryKey: ['bench', 'steps', file, span],
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
    queryKey: ['bench', 'bytes', file, version, at, facts],
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
    queryKey: ['bench', 'differences', file, from, to],
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
    queryKey: ['bench', number, 'feedback', draft],
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
    onSettled: () => queryClient.invalidateQueries(),
  })

export const useSaveDraft = () =>
  useMutation({
    mutationFn: (body: { draft: Schemas['Draft']; digest: string }) =>
      unwrap(api.PUT('/workbench/draft', { body })),
  })
