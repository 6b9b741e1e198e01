import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { useNavigate } from 'react-router'
import { flowQuery, type FlowQuestion } from '../../api/queries'
import type { Promised } from '../../api/types'
import { Problem, Waiting } from '../../ui/controls'
import { layoutStrip } from '../flows/strip/layout'
import { StripView } from '../flows/strip/StripView'
import { useFolds } from '../flows/strip/useFolds'
import { useLens, useLinkTo } from '../lens/lens'

type Example = NonNullable<Promised['counterexample']>

/** What asks the flow of a counterexample again. */
export const exampleQuestion = (example: Example): Omit<FlowQuestion, 'may_fragment'> => ({
  from: example.from,
  to: example.to,
  as: example.as,
  ...(example.size !== null && { size: example.size }),
  ...(example.source_port !== null && { source_port: example.source_port }),
  ...(example.dscp && { dscp: example.dscp }),
})

/** The flow for which a promise does not hold, drawn; each device leads to the flow's own page. */
export function ExampleStrip({ example }: { example: Example }) {
  const lens = useLens()
  const to = useLinkTo()
  const go = useNavigate()
  const question = exampleQuestion(example)
  const through = { ...lens, fail: [...new Set([...(lens.fail ?? []), ...example.failed])] }
  const flow = useQuery(flowQuery(through, question))
  const { open, turn } = useFolds()
  const strip = useMemo(() => (flow.data ? layoutStrip(flow.data, open) : null), [flow.data, open])
  if (flow.isError) return <Problem error={flow.error} />
  if (!flow.data || !strip) return <Waiting what="Following the packets" />
  return (
    <StripView
      flow={flow.data}
      strip={strip}
      selected={null}
      open={open}
      onFold={turn}
      onSelect={(ref) =>
        void go(
          to('flows', { ...question, hop: `${ref.way}.${ref.branch}.${ref.hop}` }, { fail: example.failed }),
        )
      }
    />
  )
}
