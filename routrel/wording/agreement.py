"""How computed tables agree with those that were read, in words."""

from __future__ import annotations

from routrel.questions.agreement.compare import TableAgreement
from routrel.questions.agreement.reasons import Agreement, Reason, ReasonKind
from routrel.wording.routes import table_name

__all__ = ["agreement_words", "reason_words", "table_words"]


def reason_words(reason: Reason) -> str:
    """A likely reason."""
    match reason.kind:
        case ReasonKind.INTERFACE_DOWN:
            return f"nothing that was read goes by {reason.about}; it seems to be down in reality"
        case ReasonKind.UNKNOWN_INTERFACE:
            return f"it goes by {reason.about}, an interface that the model does not have"
        case ReasonKind.STATIC_UNKNOWN:
            return "a static route that no file has"
        case ReasonKind.STATIC_GONE:
            return "the static route of the file is not in the table that was read"
        case ReasonKind.PROTOCOL_UNKNOWN:
            return f"by {reason.about or 'a protocol'}, which the model does not run here"
        case ReasonKind.NEIGHBOUR_UNKNOWN:
            return f"its next hop {reason.about} is nobody of the model"
        case ReasonKind.OTHER_OUTCOME:
            return "routing may rest so as well; who was first decides"
        case ReasonKind.UPSTREAM:
            return f"it follows from a difference at {reason.about}"
        case ReasonKind.MODEL:
            return f"the model has none: {reason.about}"
        case ReasonKind.NOBODY:
            return "nobody of the model has it, so where it comes from is not modelled"
        case ReasonKind.METRIC:
            return "the same way, and a cost on it is another one"
        case _:
            return "not known"


def table_words(table: TableAgreement) -> str:
    """How one table agrees."""
    where = table_name(table.table.device, table.table.vrf)
    when = f", read {table.table.time}" if table.table.time else ""
    count = len(table.differences)
    if not count:
        return f"{where}: all {table.equal:,} entries are equal{when}"
    differ = "differs" if count == 1 else "differ"
    return f"{where}: {table.share:.1%} equal, {count:,} of {table.entries:,} {differ}{when}"


def agreement_words(found: Agreement) -> str:
    """How all tables agree, in a sentence."""
    if not found.tables:
        return "No table was read that the model computes too."
    tables = "table" if len(found.tables) == 1 else "tables"
    if found.agrees:
        return f"All {found.equal:,} entries of {len(found.tables)} {tables} are as they were read."
    share = found.equal / found.entries
    count = found.entries - found.equal
    are = "is" if count == 1 else "are"
    return (
        f"{share:.1%} of {found.entries:,} entries in {len(found.tables)} {tables} are as they "
        f"were read; {count:,} {are} not."
    )
