const RELOADED = 'routrel-reloaded-at'
/** Loading anew once more so soon would only fail again. */
const SOON_MS = 60_000

/** A part of the page that cannot be had though the server is there, and loading anew did not help. */
export class PartMissing extends Error {}

/**
 * A part of the page that is loaded when it is first wanted. While the server is away it waits; where
 * the server is there and the part is not, the application was updated, and the whole page is loaded
 * anew, once.
 */
export async function loaded<Part>(load: () => Promise<Part>, again = 2000): Promise<Part> {
  for (;;) {
    try {
      return await load()
    } catch (error) {
      const there = await fetch('/api/session').then(
        (response) => response.ok,
        () => false,
      )
      if (there) {
        if (Date.now() - Number(sessionStorage.getItem(RELOADED)) < SOON_MS)
          throw new PartMissing(String(error), { cause: error })
        sessionStorage.setItem(RELOADED, String(Date.now()))
        location.reload()
      }
      await new Promise((done) => setTimeout(done, again))
    }
  }
}
