"""Names of people: one form, one script, and none that looks like somebody else's of the crew."""

from __future__ import annotations

import unicodedata
from functools import cache

from confusable_homoglyphs import confusables
from django.contrib.auth.models import User
from django.core.exceptions import ValidationError

from ...core.trade.errors import DocumentError, Problem
from .models import Crew


@cache
def _plainest(sign: str) -> str:
    """Return the plain letter that a sign can be taken for, the sign itself where there is none."""
    if not sign.isascii():
        found = confusables.is_confusable(sign, greedy=True, preferred_aliases=[]) or []
        sign = min((h["c"] for f in found for h in f["homoglyphs"] if len(h["c"]) == 1 and h["c"].isascii()), default=sign)
    return {"0": "o", "1": "l", "|": "l"}.get(sign, sign.casefold())


def skeleton(name: str) -> str:
    """Return what a name looks like: names that can be taken for each other have the same."""
    return "".join(_plainest(c) for c in unicodedata.normalize("NFKC", name))


def checked_name(name: str, crew: Crew | None, pointer: str) -> str:
    """Return a new person's name in its one form (NFKC). Raises DocumentError where it mixes scripts or looks like a crew mate's."""

    def refused(message: str, expected: str) -> DocumentError:
        return DocumentError([Problem(pointer=pointer, message=message, value=name, expected=expected)])

    plain = unicodedata.normalize("NFKC", name).strip()
    try:
        User(username=plain).full_clean(exclude=["password"], validate_unique=False)
    except ValidationError as error:
        raise refused(" ".join(error.messages), "letters, digits and @ . + - _") from None
    if confusables.is_mixed_script(plain, allowed_aliases=["common", "inherited"]):
        raise refused("it mixes letters of several scripts", "letters of one script")
    if User.objects.filter(username__iexact=plain).exists():
        raise refused("this name is taken", "another one; or sign in with it, and open the link again")
    mates = crew.members.values_list("user__username", flat=True) if crew else []
    for mate in mates:
        if skeleton(mate) == skeleton(plain):
            raise refused(f"it looks like {mate}, who is in the crew", "a name that nobody takes for another")
    return plain
