"""The person behind a request."""

from rest_framework.exceptions import NotAuthenticated
from rest_framework.request import Request

from apps.accounts.models import Person


def signed_in(request: Request) -> Person:
    """The signed-in person; raises NotAuthenticated for a stranger."""
    if not isinstance(request.user, Person):
        raise NotAuthenticated
    return request.user
