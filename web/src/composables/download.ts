/** Hands a file to whoever is at the page, under a name. */
export function download(body: unknown, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(body as Blob)
  link.download = name
  link.click()
  URL.revokeObjectURL(link.href)
}
