"""Real packets through random labs: way, end, rules and answers must be the engine's."""

from __future__ import annotations

import pytest

from tests.kernel.agreement import compare_lab
from tests.kernel.labs import random_lab
from tests.kernel.namespaces import why_impossible

#: Labs that showed a mistake once, beyond the first ones.
ONCE_WRONG = (7155, 8151, 8220)

_REASON = why_impossible()


@pytest.mark.skipif(bool(_REASON), reason=_REASON)
@pytest.mark.parametrize("seed", [*range(40), *ONCE_WRONG])
def test_the_engine_says_what_the_kernel_does(seed):
    differences = [one for one in compare_lab(random_lab(seed)) if one.difference]
    assert not differences, "\n".join(f"{one.probe}: {one.difference}" for one in differences)
