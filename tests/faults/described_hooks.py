"""What generated requests carry besides their session: the token against forgery, as a browser's."""

import os
from typing import Any

import schemathesis


@schemathesis.hook
def before_call(context: Any, case: Any, kwargs: dict[str, Any]) -> None:
    """Add the token as cookie and as header; the session itself is left as it was generated."""
    token = os.environ["ROUTREL_FORGERY_TOKEN"]
    case.cookies = {**(case.cookies or {}), "csrftoken": token}
    case.headers = {**(case.headers or {}), "X-CSRFToken": token}
