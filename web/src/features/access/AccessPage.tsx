import { usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { AuditTrail } from './AuditTrail'
import { Tokens } from './Tokens'

/** Tokens for programs, and who did what in the network. */
export function AccessPage() {
  const { network } = usePlace()
  return (
    <div className="flex flex-col gap-3">
      <PageHead title="Programs and people" shown="text-lg font-semibold" />
      <Tokens slug={network.slug} />
      {network.role === 'owner' ? (
        <AuditTrail slug={network.slug} />
      ) : (
        <p className="text-soft">Who did what here is told to owners.</p>
      )}
    </div>
  )
}
