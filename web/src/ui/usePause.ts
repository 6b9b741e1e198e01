import { useEffect, useState } from 'react'

/** A value as it was when it last stayed the same for a while: what somebody types, once they pause. */
export function usePause<Value>(value: Value, milliseconds = 150): Value {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), milliseconds)
    return () => clearTimeout(timer)
  }, [value, milliseconds])
  return settled
}
