import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, expect, test } from 'vitest'
import type { Branch, Finding, Flow, Stage } from '../../api/types'
import { serve, visit } from '../../testing'
import { aFinding } from '../findings/findings.testing'
import { aBranch, aDirection, aFlow, aHop } from './flows.testing'
import { FlowsPage } from './FlowsPage'
import { ticketText } from '../../wording'

const stage = (
  name: Stage['stage'],
  result: Stage['result'],
  text: string,
  more: Partial<Stage> = {},
): Stage => ({
  stage: name,
  title: name === 'filter_in' ? 'Filter in' : 'Route',
  result,
  text,
  evidence: null,
  ...more,
})
const hop = (device: string, ...stages: Stage[]) => aHop(device, { in: 'e1' }, ...stages)

const blocked = aBranch('', {
  verdict: 'filtered',
  cause: {
    device: 'fw',
    kind: 'filter_rule',
    interface: 'e1',
    direction: 'in',
    filter: 'wan',
    rule: 30,
    file: 'fw.yaml',
    line: 7,
    column: 3,
  },
  hops: [
    hop('kiosk', stage('route', 'passed', '0.0.0.0/0')),
    hop(
      'fw',
      stage('filter_in', 'stopped', 'rule 30 drops it', {
        evidence: {
          kind: 'filter',
          filter: 'wan',
          action: 'deny',
          rule: 30,
          rule_text: 'deny tcp',
          file: 'fw.yaml',
          line: 7,
          column: 3,
          interface: 'e1',
          direction: 'in',
          zones: null,
          session: null,
          tried: [
            {
              rule: 10,
              text: 'permit udp',
              mismatch: 'tcp, not udp',
              filter: 'web',
              file: 'fw.yaml',
              line: 6,
              column: 3,
            },
            {
              rule: 30,
              text: 'deny tcp',
              mismatch: null,
              filter: 'web',
              file: 'fw.yaml',
              line: 7,
              column: 3,
            },
          ],
        },
      }),
      stage('route', 'not_reached', ''),
    ),
  ],
})
const flow = aFlow(
  aDirection('db', [blocked], { source: { text: 'kiosk', name: 'kiosk', address: '10.0.0.1', note: '' } }),
  null,
  {
    sentence: 'Blocked at fw: filter wan drops it.',
    facts: ['Forward: one way.'],
    decides: { direction: 'forward', branch: 0, hop: 1, why: 'it stops here' },
    traffic: 'tcp 5432',
  },
)

const complaints = [
  {
    name: 'c',
    title: 'The kiosk is silent',
    story: 'It says nothing.',
    fail: ['link:pier'],
    tables: [],
    edits: [],
    question: { source: 'kiosk', destination: 'db', traffic: 'tcp 5432', size: null },
    route: null,
  },
]

let asked: string[] = []
let refuse = false
let findings: Finding[] = []
let doubt: Flow['doubt'] = null

beforeEach(() => {
  refuse = false
  findings = []
  doubt = null
  asked = serve(({ pathname }) => {
    if (pathname.endsWith('/cases')) return complaints
    if (pathname.endsWith('/find')) return []
    if (pathname.endsWith('/findings')) return findings
    const refusal = {
      code: 'unknown_endpoint',
      message: '“kisk” is no device',
      suggestion: 'did you mean “kiosk”?',
    }
    return refuse ? new Response(JSON.stringify(refusal), { status: 400 }) : { ...flow, doubt }
  })
})

const open = (path: string) => visit(<FlowsPage />, path)

test('the empty page offers the complaints, and a click asks one through the lens', async () => {
  open('/n/net/flows?revision=3')
  await userEvent.click(await screen.findByRole('link', { name: /The kiosk is silent/ }))
  expect(await screen.findByRole('status', { name: 'Verdict' })).toHaveTextContent(flow.sentence)
  expect(screen.getByLabelText('address')).toHaveTextContent(
    '/n/net/flows?revision=3&fail=link%3Apier&from=kiosk&to=db&as=tcp+5432',
  )
  expect(asked.find((path) => path.includes('/flow?'))).toBe(
    'GET /api/networks/net/flow?revision=3&from=kiosk&to=db&as=tcp%205432',
  )
})

test('the answer opens at the hop that stops the packet, with the rules tried', async () => {
  open('/n/net/flows?from=kiosk&to=db&as=tcp+5432')
  const sheet = await screen.findByRole('region', { name: 'fw' })
  expect(within(sheet).getByText('no: tcp, not udp')).toBeVisible()
  expect(within(sheet).getByText('matches')).toBeVisible()
  expect(within(sheet).getByText(/Not reached, since it stops before: Route/)).toBeVisible()
  expect(within(sheet).getAllByRole('link', { name: 'fw.yaml:7' })[0]).toHaveAttribute(
    'href',
    '/n/net/devices/files?revision=3&file=fw.yaml&line=7',
  )
})

test('facts stand above the strip, with what is not well at devices on the way', async () => {
  const about = (text: string, severity: Finding['severity'], ...devices: string[]) =>
    aFinding(text, { severity, devices, file: 'fw.yaml', line: 3 })
  findings = [
    about('elsewhere', 'error', 'other'),
    about('only noted', 'note', 'fw'),
    about('one end', 'warning', 'other', 'kiosk'),
    about('both ends', 'error', 'fw', 'kiosk'),
  ]
  open('/n/net/flows?from=kiosk&to=db&as=tcp+5432')
  expect(await screen.findByLabelText('At a glance')).toHaveTextContent('Forward: one way.')
  const told = (await screen.findByText('Not well on the way:')).parentElement
  expect(
    within(told as HTMLElement)
      .getAllByRole('listitem')
      .map((item) => item.textContent),
  ).toEqual(['both ends fw.yaml:3', 'one end fw.yaml:3'])
})

test('the same answer is a table, kept in the address and copied as CSV', async () => {
  const user = userEvent.setup()
  open('/n/net/flows?from=kiosk&to=db&as=tcp+5432')
  await user.click(await screen.findByRole('button', { name: 'Table' }))
  expect(screen.getByLabelText('address')).toHaveTextContent('as_table=yes')
  await user.click(screen.getByRole('button', { name: 'Copy as CSV' }))
  expect((await navigator.clipboard.readText()).split('\r\n')).toEqual([
    'way,branch,hop,in,device,out,matched,by,next hop,"MTU, bytes",end',
    'forward,"1, ",1,e1,kiosk,,,,,,',
    'forward,"1, ",2,e1,fw,,,,,,blocked by a filter',
  ])
})

test('choosing another hop is kept in the address', async () => {
  open('/n/net/flows?from=kiosk&to=db&as=tcp+5432')
  await userEvent.click(await screen.findByRole('button', { name: /^kiosk/ }))
  expect(screen.getByLabelText('address')).toHaveTextContent('hop=forward.0.0')
  expect(screen.getByRole('region', { name: 'kiosk' })).toBeVisible()
})

test('a question that cannot be asked says why and what to do', async () => {
  refuse = true
  open('/n/net/flows?from=kisk&to=db')
  expect(await screen.findByRole('alert')).toHaveTextContent('“kisk” is no device. Did you mean “kiosk”?')
})

test('what is not reached, and a return nobody can know, are said', async () => {
  open('/n/net/flows?from=kiosk&to=db&as=tcp+5432')
  expect(await screen.findByLabelText('db, not reached')).toBeVisible()
  expect(screen.getByText(/the model does not say where answers would enter/)).toBeVisible()
})

test('the ticket holds the sentence, both ways and the address', () => {
  const text = ticketText(
    flow,
    { network: 'Net', lens: { slug: 'net', revision: 3, fail: ['link:pier'] }, address: 'http://here/' },
    new Map([['10.0.0.1', 'desk']]),
  )
  expect(text.split('\n')).toEqual([
    flow.sentence,
    '',
    'Asked of Net, revision 3, with link pier failed: tcp 5432 from 10.0.0.1 (desk) to 10.0.0.1 (desk)',
    'Forward: kiosk > fw: filtered',
    '',
    'http://here/',
  ])
})

test('a flow that depends on who settles first shows every outcome and who decides', async () => {
  const outcome = (name: string, verdict: Branch['verdict'], ways: string[][]) => ({
    name,
    sentence: '',
    verdict,
    return_verdict: null,
    ways,
    return_ways: [],
  })
  doubt = {
    searched: true,
    deciders: [{ device: 'r1', vrf: 'default', lines: [{ file: 'devices/r1.yaml', line: 7, column: 1 }] }],
    outcomes: [
      outcome('r1 on RIP by e1', 'delivered', [['kiosk', 'r1', 'db']]),
      outcome('r1 on OSPF by e2', 'filtered', [['kiosk', 'r1', 'fw']]),
    ],
  }
  open('/n/net/flows?revision=3&from=kiosk&to=db&as=tcp+5432')
  expect(await screen.findByRole('status', { name: 'Verdict' })).toHaveTextContent('Not certain')
  const rows = screen.getAllByRole('row').map((row) => row.textContent)
  expect(rows).toContain('r1 on RIP by e1deliveredkiosk → r1 → db')
  expect(rows).toContain('r1 on OSPF by e2blocked by a filterkiosk → r1 → fw')
  expect(screen.getByRole('link', { name: 'r1.yaml:7' })).toBeInTheDocument()
  expect(screen.getByText('forward: delivered')).toBeInTheDocument()
})
