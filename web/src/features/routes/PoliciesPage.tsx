import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { policiesQuery, policyTrialQuery } from '../../api/queries'
import type { Policy, PolicyStep, PolicyTrial } from '../../api/types'
import { Button, Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, usePlace } from '../lens/lens'
import { useAddress } from '../../ui/address'
import { PageHead } from '../lens/PageHead'
import { RouteTabs } from './RouteTabs'
import { FIELDS, routeFrom, type RouteText } from './policyRoute'
import { Input, Select } from '../../ui/fields'

/** One route through one policy: what each statement makes of it. */
export function PoliciesPage() {
  const { network } = usePlace()
  const [params] = useAddress()
  const policies = useQuery(policiesQuery(useLens()))
  if (!network.newest_revision) return <p className="p-4">Nothing is imported yet.</p>
  return (
    <div className="flex flex-col gap-3">
      <PageHead
        title={
          params.get('policy') ? `Policy ${params.get('policy')} at ${params.get('device')}` : 'Policies'
        }
      />
      <RouteTabs />
      {policies.isError ? (
        <Problem error={policies.error} />
      ) : policies.isPending ? (
        <Waiting what="Reading the policies" />
      ) : (
        <Tester policies={policies.data} />
      )}
    </div>
  )
}

function Tester({ policies }: { policies: Policy[] }) {
  const [params] = useAddress()
  const device = params.get('device')
  const name = params.get('policy')
  const policy = policies.find((each) => each.device === device && each.policy === name)
  if (policies.length === 0)
    return (
      <Panel>
        <p>No device of this network has a policy.</p>
      </Panel>
    )
  return (
    <div className="grid items-start gap-3 lg:grid-cols-[19rem_minmax(0,1fr)]">
      <PolicyList policies={policies} chosen={policy} />
      {policy ? (
        <Trial key={`${device} ${name}`} policy={policy} />
      ) : (
        <Panel title="Try a route">
          <p>Choose a policy, describe a route, and see which statement decides, and what it changes.</p>
        </Panel>
      )}
    </div>
  )
}

function PolicyList({ policies, chosen }: { policies: Policy[]; chosen?: Policy }) {
  const [, change] = useAddress()
  return (
    <Panel title="Policies" className="max-h-[80vh] overflow-auto">
      <ul>
        {policies.map((each) => (
          <li key={`${each.device} ${each.policy}`}>
            <button
              type="button"
              aria-current={each === chosen}
              onClick={() => change({ device: each.device, policy: each.policy })}
              className="w-full rounded px-2 py-1 text-left hover:bg-sunk aria-[current=true]:bg-chosen-wash"
            >
              <strong>{each.policy}</strong> <span className="text-soft">of {each.device}</span>
              {each.bound.length > 0 && (
                <span className="block text-sm text-soft">{each.bound.join('; ')}</span>
              )}
            </button>
          </li>
        ))}
      </ul>
    </Panel>
  )
}

function Trial({ policy }: { policy: Policy }) {
  const [params, change] = useAddress()
  const asked: RouteText = Object.fromEntries(FIELDS.map(({ key }) => [key, params.get(key) ?? '']))
  const route = routeFrom(asked)
  return (
    <div className="grid gap-3">
      <Panel
        title={`${policy.policy} of ${policy.device}`}
        aside={<EvidenceLink file={policy.file} line={policy.line} />}
      >
        {policy.description && <p className="mb-2">{policy.description}</p>}
        <RouteForm key={JSON.stringify(asked)} asked={asked} onAsk={(next) => change(next)} />
      </Panel>
      {route && <Result policy={policy} route={route} />}
    </div>
  )
}

function RouteForm({ asked, onAsk }: { asked: RouteText; onAsk: (route: RouteText) => void }) {
  const [text, setText] = useState(asked)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onAsk(text)
  }
  return (
    <form onSubmit={submit} aria-label="The route to try">
      <div className="grid gap-2 sm:grid-cols-2 xl:grid-cols-4">
        {FIELDS.map(({ key, example, options }) => (
          <label key={key} className="block text-sm text-soft">
            {key.replaceAll('-', ' ')}
            {options ? (
              <Select
                value={text[key]}
                onChange={(event) => setText({ ...text, [key]: event.target.value })}
                className="block w-full"
              >
                {options.map((each) => (
                  <option key={each} value={each}>
                    {each || example}
                  </option>
                ))}
              </Select>
            ) : (
              <Input
                value={text[key]}
                onChange={(event) => setText({ ...text, [key]: event.target.value })}
                placeholder={example}
                autoComplete="off"
                spellCheck={false}
                mono
                className="block w-full"
              />
            )}
          </label>
        ))}
      </div>
      <Button type="submit" tone="main" className="mt-3 px-5" disabled={!text['prefix']?.trim()}>
        Try it
      </Button>
    </form>
  )
}

function Result({ policy, route }: { policy: Policy; route: Record<string, unknown> }) {
  const trial = useQuery(policyTrialQuery(useLens(), policy.device, policy.policy, route))
  if (trial.isError) return <Problem error={trial.error} />
  if (trial.isPending) return <Waiting what="Trying" />
  const accepted = trial.data.result === 'accept'
  return (
    <>
      <p
        role="status"
        aria-label="Result"
        className={`rounded-card border border-l-8 bg-card px-3 py-2 text-[1.05rem] ${accepted ? 'border-go' : 'border-stop'}`}
      >
        <strong className={accepted ? 'text-go' : 'text-stop'}>
          {accepted ? '✓ accepted' : '✗ rejected'}
        </strong>{' '}
        {trial.data.sentence} <EvidenceLink file={trial.data.file} line={trial.data.line} />
      </p>
      <Panel title="Statement by statement">
        <ol className="divide-y divide-line">
          {trial.data.steps.map((step) => (
            <StepRow key={`${step.policy} ${step.statement}`} step={step} />
          ))}
          {trial.data.by_default && (
            <li className="flex gap-2 py-1.5">
              <span aria-hidden className={accepted ? 'text-go' : 'text-stop'}>
                {accepted ? '✓' : '✗'}
              </span>
              <span className="flex-1">
                no statement decides, so the default does: <strong>{trial.data.result}</strong>
              </span>
              <EvidenceLink file={trial.data.file} line={trial.data.line} />
            </li>
          )}
          {trial.data.not_reached.map((each) => (
            <li key={each.statement} className="flex gap-2 py-1.5 text-soft">
              <span aria-hidden>–</span>
              <span className="flex-1">{each.statement}: not reached</span>
              <EvidenceLink file={each.file} line={each.line} />
            </li>
          ))}
        </ol>
      </Panel>
      {trial.data.route && <RouteOut trial={trial.data} />}
    </>
  )
}

function StepRow({ step }: { step: PolicyStep }) {
  return (
    <li className={`flex gap-2 py-1.5 ${step.matched ? '' : 'text-soft'}`}>
      <span aria-hidden className={step.matched ? 'text-go' : ''}>
        {step.matched ? '✓' : '·'}
      </span>
      <span className="flex-1">
        <strong>{step.statement}</strong>:{' '}
        {step.matched ? (step.result ?? 'goes on to the next') : `no match on ${step.failed ?? ''}`}
        {step.changes.map((each) => (
          <span key={each.attribute} className="block">
            <Mono>{each.attribute}</Mono>{' '}
            {each.before ? (
              <s className="text-soft">{each.before}</s>
            ) : (
              <span className="text-soft">none</span>
            )}{' '}
            → <Mono>{each.after || 'none'}</Mono>
          </span>
        ))}
      </span>
      <EvidenceLink file={step.file} line={step.line} />
    </li>
  )
}

function RouteOut({ trial }: { trial: PolicyTrial }) {
  const before = trial.before as Record<string, unknown>
  const after = trial.route as Record<string, unknown>
  const words = (value: unknown) =>
    Array.isArray(value) ? value.join(', ') : value === null || value === undefined ? '' : String(value)
  const keys = Object.keys(after).filter((key) => words(after[key]) || words(before[key]))
  return (
    <Panel title="The route as it comes out">
      <dl className="grid grid-cols-[10rem_minmax(0,1fr)] gap-y-0.5">
        {keys.map((key) => {
          const changed = words(after[key]) !== words(before[key])
          return (
            <div key={key} className="contents">
              <dt className="text-soft">{key.replaceAll('-', ' ')}</dt>
              <dd className={changed ? 'font-semibold' : ''}>
                <Mono>{words(after[key]) || 'none'}</Mono>
                {changed && (
                  <span className="font-normal text-soft"> was {words(before[key]) || 'none'}</span>
                )}
              </dd>
            </div>
          )
        })}
      </dl>
    </Panel>
  )
}
