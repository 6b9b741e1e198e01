const MOMENT = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
  timeZoneName: 'short',
})

/** A moment as it is written everywhere: where the reader is, with the zone. */
export function moment(when: string | Date): string {
  return MOMENT.format(new Date(when))
}
