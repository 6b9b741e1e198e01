"""What answers propose does what they say: written into the files and read from nothing."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings

from routrel.answers.what_it_would_take import what_it_would_take
from routrel.convergence.converge import converge
from routrel.lens.file_edits import edited
from routrel.lens.look import look
from routrel.questions.candidates import candidates
from tests.differential.test_plain_bgp import PARTS, WHOLE, nets, with_numbers


@settings(
    max_examples=25, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
@given(nets())
def test_every_change_that_is_told_lets_the_loser_win(drawn):
    """In random networks of several AS, for every router that has more than one path.

    The state that follows the change is the one computed from nothing, too.
    """
    texts = dict(enumerate(with_numbers(drawn.texts, drawn.net)))
    files = {f"{number}.yaml": text for number, text in texts.items()}
    view = look(files)
    if view.state is None or not view.state.converged:
        return
    for prefix in (*PARTS, WHOLE):
        for name in view.state.topology.devices:
            for answer in what_it_would_take(view.state, files, name, "default", prefix, {}):
                for told in answer.changes:
                    after = edited(files, told.changes)
                    reading = look(after)
                    assert reading.state is not None, reading.reading.problems
                    state = converge(reading.reading.network)
                    table = state.rib.interning.table_numbers[name, "default"]
                    number = state.rib.interning.prefixes.number(prefix)
                    won = {
                        (path.advertiser, path.values.get("neighbour_address"))
                        for path in candidates(state, table, number)
                        if path.lost_on is None
                    }
                    assert (answer.advertiser, answer.neighbour) in won, told.text
