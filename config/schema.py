"""How the API's description names our sign-in, and what any address may answer."""

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension


class SignedInSessionScheme(OpenApiAuthenticationExtension):
    """A session cookie with a CSRF token."""

    target_class = "config.limits.SignedInSession"
    name = "session"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


_ALL = {
    "401": "Nobody is signed in any more.",
    "403": "The role does not allow this, or the request is not from the page.",
    "404": "There is no such thing.",
    "503": "The data can't be reached.",
}
_ASKED = {"400": "What was asked can't be, and why."}
_SENT = {
    "409": "It has moved on meanwhile.",
    "413": "More than may be sent at once.",
    "415": "Not in a form that is taken.",
    "429": "Too many wrong passwords.",
}


def refusals(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Describe what every address may answer besides what its view says: a failure in the one form that failures have."""
    for methods in result["paths"].values():
        for method, operation in methods.items():
            told = {**_ALL, **_ASKED, **(_SENT if method != "get" else {})}
            for status, words in told.items():
                shape = {"application/json": {"schema": {"$ref": "#/components/schemas/Failure"}}}
                operation["responses"].setdefault(status, {"description": words, "content": shape})
            operation["responses"] = dict(sorted(operation["responses"].items()))
    return result
