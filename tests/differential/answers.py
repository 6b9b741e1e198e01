"""Every answer to many networks, kept, and held against what is answered later.

    python -m tests.differential.answers record FOLDER
    python -m tests.differential.answers compare FOLDER

`record` asks everything of the demo, of 300 random mixtures of protocols and of 120 random labs of
filters and translations, and keeps the files, the questions and the answers. `compare` reads those
files, asks the same again and prints what differs: for a change of the code that must not change an
answer. Both exit with 1 where something differs or fails.
"""

from __future__ import annotations

import argparse
import gzip
import ipaddress
import json
import sys
import traceback
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path
from typing import Any

import yaml
from hypothesis import HealthCheck, Phase, given, seed, settings

from routrel.answers.base import data
from routrel.answers.findings import findings_data
from routrel.answers.policies import policies_data
from routrel.answers.routes import route_data
from routrel.answers.tables import TableQuestion
from routrel.answers.what_it_would_take import what_it_would_take
from routrel.convergence.converge import State
from routrel.lens.look import View, look
from routrel.model.network import DEFAULT_VRF
from routrel.questions.errors import QuestionError
from routrel.questions.flow import FlowQuestion
from routrel.questions.moves import kept_flows
from routrel.questions.remedies.search import find_remedies
from routrel.questions.routes import RouteQuestion, ask_routes
from tests import nets
from tests.differential import test_any_network
from tests.kernel.labs import random_lab
from tests.told import (
    answer_flow,
    bounce_data,
    chart_data,
    device_data,
    explain_route,
    holders_data,
    remedies_data,
    sessions_data,
    table_data,
)

Texts = dict[str, str]
Answers = dict[str, Any]

DEMO = Path(__file__).resolve().parents[2] / "demo"
#: Longer than any search takes, so that what is found does not depend on the machine.
PATIENCE_S = 3600


# --- networks ------------------------------------------------------------------------------------


def demo() -> Texts:
    return {p.relative_to(DEMO).as_posix(): p.read_text() for p in sorted(DEMO.rglob("*.yaml"))}


def mixture(number: int) -> Texts:
    """A random net of all protocols, as the test of any network draws them.

    Each is drawn with a seed of its own: those of one seed are much alike.
    """
    drawn: list[Texts] = []

    @seed(number)
    @settings(
        max_examples=8, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(test_any_network.mixtures())
    def draw(mixture: tuple[str, dict[str, str], dict[str, str]]) -> None:
        links, tops, ports = mixture
        texts = nets.wired_texts(links, port="", top=tops, ports=ports)
        drawn.append({f"{number}.yaml": text for number, text in enumerate(texts)})

    draw()
    return max(drawn, key=lambda texts: sum(map(len, texts.values())))


def lab(number: int) -> tuple[Texts, list[dict[str, Any]]]:
    """A random lab of packet filters, translation and steering, and the packets sent in it."""
    made = random_lab(number)
    texts = {f"{n}.yaml": yaml.safe_dump(d, sort_keys=False) for n, d in made.devices.items()}
    flows = [
        {
            "source": probe.source_address,
            "destination": probe.destination,
            "traffic": f"{probe.protocol} {probe.port}",
            "source_port": probe.number,
            "size": probe.size,
            "ttl": probe.ttl,
            "may_fragment": probe.may_fragment,
            "dscp": probe.dscp,
        }
        for probe in made.probes
    ]
    return texts, flows


# --- questions -----------------------------------------------------------------------------------


def answers(texts: Texts, flows: list[dict[str, Any]], *, searches: bool) -> Answers:
    """Everything that can be asked of a network, by a name of the question.

    Args:
        flows: The flow questions; of the cases and between loopbacks come besides.
        searches: Whether remedies and what it would take are searched for.
    """
    view = look(texts)
    found: Answers = {"findings": data(findings_data(view.findings, view.reading.network))}
    state = view.state
    if state is None:
        return found
    found["converged"] = state.converged
    found["chart"] = chart_data(state)
    found["sessions"] = sessions_data(state)
    found["policies"] = data(policies_data(state.network))
    for device in state.network.devices:
        found[f"device {device.name}"] = device_data(state, device)
        found[f"table {device.name}"] = table_data(state, TableQuestion(device=device.name))
    found |= _routes(state)
    for session in found["sessions"]["sessions"]:
        key = f"bounce {session['device']} {session['neighbour']}"
        vrf = session.get("vrf") or DEFAULT_VRF
        found[key] = _asked(
            lambda s=session, v=vrf: bounce_data(
                state, s["device"], v, s["neighbour"], kept_flows(view.cases)
            )
        )
    found |= _flows(view, state, [*flows, *_loopback_flows(state)])
    found |= _cases(view, state, searches)
    return found


def _routes(state: State) -> Answers:
    found: Answers = {}
    wanted = {ipaddress.ip_network(p) for p in ("192.0.2.0/24", "0.0.0.0/0", "2001:db8:77::/48")}
    for route in ask_routes(state, RouteQuestion()):
        key = f"route {route.device} {route.vrf} {route.prefix}"
        found.setdefault(key, []).append(data(route_data(state, route)))
        wanted.add(route.prefix)
    for prefix in sorted(wanted, key=str):
        found[f"why {prefix}"] = _asked(
            lambda p=prefix: explain_route(state, RouteQuestion(prefix=p))
        )
        found[f"holders {prefix}"] = _asked(lambda p=prefix: holders_data(state, p))
    for text in ("10.255.0.2", "10.99.3.4", "198.51.100.77"):
        address = ipaddress.ip_address(text)
        question = RouteQuestion(address=address)
        found[f"why {text}"] = _asked(lambda q=question: explain_route(state, q))
        found[f"holders {text}"] = _asked(lambda a=address: holders_data(state, a))
    return found


def _loopback_flows(state: State) -> list[dict[str, Any]]:
    """Between all pairs of a small network's loopbacks, and to what is somewhere else."""
    names = [device.name for device in state.network.devices]
    if len(names) > 5 or not all(name.startswith("r") for name in names):
        return []
    ends = [f"10.255.0.{name[1:]}" for name in names] + ["10.99.3.4", "198.51.100.77"]
    return [
        {"source": name, "destination": end, "traffic": traffic}
        for name in names
        for end in ends
        for traffic in ("", "tcp 443")
    ]


def _flows(view: View, state: State, flows: list[dict[str, Any]]) -> Answers:
    return {
        f"flow {json.dumps(flow, sort_keys=True)}": _asked(
            lambda f=flow: answer_flow(state, FlowQuestion(**f))
        )
        for flow in flows
    }


def _cases(view: View, state: State, searches: bool) -> Answers:
    found: Answers = {}
    kept = kept_flows(view.cases)
    for case in view.cases:
        if (asked := case.question) is not None:
            question = FlowQuestion(
                source=asked.source, destination=asked.destination, traffic=asked.traffic,
                size=asked.size,
            )  # fmt: skip
            found[f"case {case.name}"] = _asked(lambda q=question: answer_flow(state, q))
            if searches:
                found[f"remedies {case.name}"] = _asked(
                    lambda q=question: remedies_data(
                        find_remedies(state, view.texts, q, kept, patience_s=PATIENCE_S)
                    )
                )
        elif case.route is not None and searches:
            at, to = case.route.at, case.route.to
            wanted = ipaddress.ip_network(to) if "/" in to else ipaddress.ip_address(to)
            if at in state.topology.devices:
                found[f"would take {case.name}"] = _asked(
                    lambda a=at, w=wanted: data(
                        what_it_would_take(
                            state, view.texts, a, DEFAULT_VRF, w, kept, patience_s=PATIENCE_S
                        )
                    )
                )
    return found


def _asked(question: Any) -> Any:
    """The answer, or why it cannot be asked; an internal error is kept as one, to be seen."""
    try:
        return question()
    except QuestionError as error:
        return {"refused": [error.code, error.text, error.suggestion]}
    except Exception as error:
        return {"fault": repr(error), "where": traceback.format_exc().splitlines()[-4:]}


# --- keeping and comparing -----------------------------------------------------------------------


def _answer_file(path: Path) -> tuple[str, Mapping[str, Any], Answers]:
    """A file's name, what it keeps, and what is answered now."""
    kept = json.loads(gzip.decompress(path.read_bytes()))
    now = answers(kept["texts"], kept["flows"], searches=kept["searches"])
    return path.stem.removesuffix(".json"), kept, json.loads(json.dumps(now, default=str))


def _write(path: Path, kept: Mapping[str, Any]) -> None:
    path.write_bytes(gzip.compress(json.dumps(kept, sort_keys=True).encode(), 3, mtime=0))


def differences(before: Any, after: Any, where: str = "") -> Iterator[str]:
    """Each place at which two values are not the same, with both."""
    if isinstance(before, dict) and isinstance(after, dict):
        for key in sorted(before.keys() | after.keys()):
            if key not in before or key not in after:
                yield f"{where} / {key}: only {'before' if key in before else 'now'}"
            else:
                yield from differences(before[key], after[key], f"{where} / {key}")
    elif isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        for number, pair in enumerate(zip(before, after, strict=True)):
            yield from differences(*pair, f"{where} [{number}]")
    elif before != after:
        yield f"{where}:\n    before {json.dumps(before)[:300]}\n    now    {json.dumps(after)[:300]}"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["record", "compare"])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--only", default="", help="networks whose name begins so")
    parser.add_argument("--mixtures", type=int, default=300)
    parser.add_argument("--labs", type=int, default=120)
    parser.add_argument("--shown", type=int, default=3, help="differences of a network")
    options = parser.parse_args()
    if options.what == "record":
        options.folder.mkdir(parents=True)
        kept = {"demo": (demo(), [], True)}
        for number in range(options.mixtures):
            kept[f"mixture-{number:03}"] = (mixture(number), [], False)
        for number in range(options.labs):
            kept[f"lab-{number:03}"] = (*lab(number), False)
        for name, (texts, flows, searches) in kept.items():
            path = options.folder / f"{name}.json.gz"
            _write(path, {"texts": texts, "flows": flows, "searches": searches, "answers": None})
    paths = sorted(options.folder.glob(f"{options.only}*.json.gz"))
    count = faults = 0
    with ProcessPoolExecutor() as pool:
        for task in as_completed([pool.submit(_answer_file, path) for path in paths]):
            name, was, now = task.result()
            faulty = [
                key for key, value in now.items() if isinstance(value, dict) and "fault" in value
            ]
            for key in faulty:
                print(f"{name} / {key}: {now[key]}")
            faults += len(faulty)
            if options.what == "record":
                _write(options.folder / f"{name}.json.gz", {**was, "answers": now})
                continue
            found = list(differences(was["answers"], now))
            count += len(found)
            for difference in found[: options.shown]:
                print(name + difference, flush=True)
            if len(found) > options.shown:
                print(f"{name}: {len(found) - options.shown} more")
    print(f"{len(paths)} networks, {count} differences, {faults} faults")
    return 1 if count or faults else 0


if __name__ == "__main__":
    sys.exit(main())
