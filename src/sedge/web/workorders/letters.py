"""The texts of letters: edited per kind and language, seen as real letters before they are kept."""

from typing import Annotated

from fastapi import Form, Request
from fastapi.responses import Response

from sedge.core.access.roles import May
from sedge.core.numbers.plan import LANGUAGES
from sedge.formats.letters import KINDS, NAMES, LetterText
from sedge.services import letters
from sedge.web.routing import Place, RequestContext
from sedge.web.shared.rendering import go, render, target

place = Place()


@place.page("/letters", May.SET_RULES)
def edit(
    request: Request,
    context: RequestContext,
    kind: str = "holder",
    language: str = "en",
    order: str = "",
) -> Response:
    kept = letters.view_letter(context, kind, language)
    letter = letters.preview(context, kept.text, order[:80])
    return render(
        request,
        "letters.html",
        kept=kept,
        letter=letter,
        kinds=list(KINDS.items()),
        languages=list(LANGUAGES.items()),
        names=NAMES[kind],
        order=order,
    )


@place.action("/letters", May.SET_RULES)
def save_template(
    request: Request,
    context: RequestContext,
    kind: Annotated[str, Form()] = "",
    language: Annotated[str, Form()] = "",
    subject: Annotated[str, Form()] = "",
    text: Annotated[str, Form()] = "",
    html: Annotated[str, Form()] = "",
    version: Annotated[int, Form()] = 0,
    what: Annotated[str, Form()] = "keep",
    order: Annotated[str, Form()] = "",
) -> Response:
    typed = LetterText(
        kind, language, subject, text.replace("\r\n", "\n"), html.replace("\r\n", "\n")
    )
    if what == "look" and target(request):
        return render(request, "_letter.html", letter=letters.preview(context, typed, order[:80]))
    if what == "own":
        letters.back_to_own(context, kind, language)
    elif what == "keep":
        letters.keep_letter(context, typed, version)
    return go(request, f"/letters?kind={kind}&language={language}")
