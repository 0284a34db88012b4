import { QueryClient, useInfiniteQuery, useMutation, useQuery } from '@tanstack/vue-query'
import type { Ref } from 'vue'

import { api, ProblemError, unwrap } from './api/client'

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
