"""Labs known from their kernels' captures alone: what packets did must be what the engine says.

The captures are taken by the script that ships. Besides what device files can say, the labs have
rulesets with jumps, maps and exceptions, and routes that do not follow from what is configured.
"""

from __future__ import annotations

import pytest

from tests.kernel.agreement import compare_lab
from tests.kernel.labs import random_lab
from tests.kernel.namespaces import why_impossible

#: Labs that showed a mistake once, beyond the first ones: marks that a rule changes itself and asks
#: for; exceptions of what returns.
ONCE_WRONG = (104, 8)

_REASON = why_impossible()


@pytest.mark.skipif(bool(_REASON), reason=_REASON)
@pytest.mark.parametrize("seed", [*range(1000, 1014), *ONCE_WRONG])
def test_what_was_captured_forwards_as_the_kernel_did(seed):
    compared = compare_lab(random_lab(seed), from_captures=True, rulesets=seed)
    differences = [one for one in compared if one.difference]
    assert not differences, "\n".join(f"{one.probe}: {one.difference}" for one in differences)
