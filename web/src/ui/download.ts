/** Gives a file to whoever asked for it. */
export function download(name: string, content: Blob): void {
  const address = URL.createObjectURL(content)
  const link = document.createElement('a')
  link.href = address
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(address), 1000)
}

/** The same of a text. */
export const downloadText = (name: string, text: string): void =>
  download(name, new Blob([text], { type: 'text/plain' }))
