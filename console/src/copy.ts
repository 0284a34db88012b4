import { ref } from 'vue'

/** Copies texts to the clipboard, and tells for a moment which was copied. */
export function useCopy() {
  const copied = ref('')

  async function copy(text: string) {
    try {
      await navigator.clipboard.writeText(text)
      copied.value = text
      setTimeout(() => (copied.value = ''), 2500)
    } catch {
      window.prompt('Copy it from here', text) // no clipboard outside HTTPS and loopback
    }
  }

  return { copied, copy }
}
