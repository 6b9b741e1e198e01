import type { Finding } from '../../api/types'

/** An error about nothing in particular, with what a test is about. */
export const aFinding = (text: string, more: Partial<Finding> = {}): Finding => ({
  key: text,
  group: text,
  cause: { file: 'r.yaml', line: 1, column: 1 },
  severity: 'error',
  code: 'c',
  text,
  suggestion: '',
  device: null,
  devices: [],
  file: 'r.yaml',
  line: 1,
  column: 1,
  also: [],
  ...more,
})
