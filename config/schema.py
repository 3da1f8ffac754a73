"""How the API's description names our sign-in."""

from drf_spectacular.extensions import OpenApiAuthenticationExtension


class SignedInSessionScheme(OpenApiAuthenticationExtension):
    """A session cookie with a CSRF token."""

    target_class = "config.limits.SignedInSession"
    name = "session"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}
