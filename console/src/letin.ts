const kept = 'endroit-let-in'

/**
 * A workbench on this machine lets its page in with a secret behind the # of the address:
 * it is sent to nobody else and kept for this origin, port and all, and this tab alone,
 * as a cookie would not be.
 */
const given = /^#let-in=([A-Z2-7]+)$/.exec(location.hash)
if (given?.[1]) {
  sessionStorage.setItem(kept, given[1])
  history.replaceState(history.state, '', location.pathname + location.search)
}

/** The secret of a workbench, null for a service's page. */
export const letIn = (): string | null => sessionStorage.getItem(kept)
