"""Letters from texts that administrators may edit: Jinja in a sandbox, undefined names refused, a
kind and a language each.

`holder` goes to whoever got or lost a number, `author` to whoever wrote the work order. A text that
can't be drawn is refused when it is saved; one that fails all the same later is replaced by Sedge's
own, so that nobody goes without a letter.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from jinja2 import StrictUndefined, TemplateError, TemplateSyntaxError, UndefinedError
from jinja2.exceptions import SecurityError
from jinja2.sandbox import SandboxedEnvironment

from sedge.core.errors import NotUnderstood
from sedge.core.facts import MailFile
from sedge.core.numbers.plan import LANGUAGES

KINDS = {
    "holder": "To each person: what is theirs now",
    "author": "To the author of the work order: the summary",
}
MOST = 20_000
PARTS = ("subject", "text", "html")


@dataclass(frozen=True)
class LetterText:
    """`html` empty: a plain letter only."""

    kind: str
    language: str
    subject: str
    text: str
    html: str = ""


@dataclass(frozen=True)
class Letter:
    subject: str
    text: str
    html: str = ""
    files: tuple[MailFile, ...] = ()


NAMES = {
    "holder": (
        "name",
        "organisation",
        "held (national, e164, role, works_from)",
        "lost (national, e164)",
        "places",
        "signature",
    ),
    "author": (
        "no",
        "title",
        "outcome",
        "lines",
        "people (name, numbers)",
        "organisation",
        "signature",
    ),
}
_HOLDER_HTML = """<p>{greeting} {{{{ name }}}},</p>
{{% if lost %}}<p>{lost}:</p><ul>
{{%- for n in lost %}}<li>{{{{ n.national }}}} ({{{{ n.e164 }}}})</li>{{% endfor -%}}
</ul>{{% endif %}}
{{% if held %}}<p>{held}:</p><ul>
{{%- for n in held %}}<li><b>{{{{ n.national }}}}</b> ({{{{ n.e164 }}}}), {{{{ n.role }}}}, {works}
{{{{- ' ' ~ n.works_from }}}}</li>{{% endfor -%}}
</ul>
{{% if places %}}<p>{help}</p>{{% endif %}}{{% else %}}<p>{none}</p>{{% endif %}}
<p>{{{{ signature }}}}</p>"""
_HOLDER_TEXT = """{greeting} {{{{ name }}}},
{{% if lost %}}

{lost}:
{{% for n in lost %}}
  {{{{ n.national }}}} ({{{{ n.e164 }}}})
{{% endfor %}}
{{% endif %}}
{{% if held %}}

{held}:
{{% for n in held %}}
  {{{{ n.national }}}} ({{{{ n.e164 }}}}), {{{{ n.role }}}}, {works} {{{{ n.works_from }}}}
{{% endfor %}}
{{% if places %}}

{help}
{{% endif %}}
{{% else %}}

{none}
{{% endif %}}

{{{{ signature }}}}"""
_WORDS = {
    "en": {
        "greeting": "Dear",
        "lost": "no longer yours",
        "held": "these numbers are yours now",
        "works": "works from",
        "none": "You have no telephone number of ours any more.",
        "help": (
            "If you make an emergency call from {{ 'it' if held | length == 1 else 'them' }},"
            " responders are sent"
            " to {{ places | join(' or ') }}. Tell us when you move."
        ),
        "one": "Your telephone number {{ held[0].national }}",
        "many": "Your {{ held | length }} telephone numbers",
        "gone": "no longer yours",
    },
    "de": {
        "greeting": "Guten Tag",
        "lost": "nicht mehr Ihre",
        "held": "diese Rufnummern sind jetzt Ihre",
        "works": "nutzbar ab",
        "none": "Sie haben keine Rufnummer von uns mehr.",
        "help": (
            "Wenn Sie von dort den Notruf wählen, wird Hilfe hierher geschickt: {{ places | join('"
            " oder ') }}. Sagen Sie uns, wenn Sie umziehen."
        ),
        "one": "Ihre Rufnummer {{ held[0].national }}",
        "many": "Ihre {{ held | length }} Rufnummern",
        "gone": "nicht mehr Ihre",
    },
    "fr": {
        "greeting": "Bonjour",
        "lost": "ne sont plus les vôtres",
        "held": "ces numéros sont désormais les vôtres",
        "works": "utilisable à partir de",
        "none": "Vous n’avez plus de numéro de téléphone chez nous.",
        "help": (
            "Si vous appelez les secours, ils sont envoyés ici : {{ places | join(' ou ') }}."
            " Prévenez-nous si vous changez de place."
        ),
        "one": "Votre numéro de téléphone {{ held[0].national }}",
        "many": "Vos {{ held | length }} numéros de téléphone",
        "gone": "plus les vôtres",
    },
}
_AUTHOR = {
    "en": ("Work order", "Who has what now"),
    "de": ("Arbeitsauftrag", "Wer jetzt was hat"),
    "fr": ("Ordre de travail", "Qui a quoi désormais"),
}


@lru_cache(maxsize=16)
def own(kind: str, language: str) -> LetterText:
    """Sedge's own text of a kind in a language; in English where there is none."""
    spoken = language if language in LANGUAGES else "en"
    if kind == "author":
        order, people = _AUTHOR[spoken]
        text = (
            "{{ title }}\n\n{% for line in lines %}\n{{ line }}\n{% endfor %}\n{% if people %}\n\n"
            + people
            + ":\n{% for p in people %}\n  {{ p.name }}: {{ p.numbers | join(', ') or '–' }}\n{%"
            " endfor %}\n{% endif %}\n\n{{ signature }}"
        )
        html = (
            "<h1>{{ title }}</h1>\n<pre>{% for line in lines %}{{ line }}\n{% endfor %}</pre>\n{%"
            " if people %}<p>"
            + people
            + ":</p><ul>{% for p in people %}<li>{{ p.name }}: {{ p.numbers | join(', ') or '–'"
            " }}</li>{% endfor %}</ul>{% endif %}\n<p>{{ signature }}</p>"
        )
        return LetterText(kind, spoken, order + " {{ no }} {{ outcome }}: {{ title }}", text, html)
    words = _WORDS[spoken]
    subject = (
        "{% if not held %}{% for n in lost %}{{ n.national }}{{ ', ' if not loop.last }}{% endfor"
        " %}: "
        + words["gone"]
        + "{% elif held | length == 1 %}"
        + words["one"]
        + "{% else %}"
        + words["many"]
        + "{% endif %}"
    )
    return LetterText(
        kind, spoken, subject, _HOLDER_TEXT.format(**words), _HOLDER_HTML.format(**words)
    )


class _Sandbox(SandboxedEnvironment):
    """Without arithmetic that grows: a letter needs none, and a text repeated a billion times is no
    letter."""

    intercepted_binops = frozenset({"*", "**", "%"})

    def call_binop(self, context: object, operator: str, left: object, right: object) -> object:
        raise SecurityError(f"“{operator}” is not for emails")


def _environment(*, html: bool) -> SandboxedEnvironment:
    made = _Sandbox(
        undefined=StrictUndefined, autoescape=html, trim_blocks=True, lstrip_blocks=True
    )
    # no ranges: a letter goes through what it is given, not through a billion of anything
    made.globals.clear()
    return made


def drawn(text: LetterText, facts: Mapping[str, Any]) -> Letter:
    """The letter for these facts. Raises NotUnderstood naming the part and what is wrong with
    it."""
    parts = {}
    for part in PARTS:
        try:
            parts[part] = (
                _environment(html=part == "html").from_string(getattr(text, part)).render(**facts)
            )
        except TemplateSyntaxError as error:
            raise NotUnderstood(
                f"Line {error.lineno} can't be read: {error.message}.", field=part
            ) from error
        except UndefinedError as error:
            raise NotUnderstood(
                f"{str(error).capitalize()}, so the text refers to nothing. There are:"
                f" {', '.join(NAMES[text.kind])}.",
                field=part,
            ) from error
        except (
            TemplateError,
            SecurityError,
            TypeError,
            ValueError,
            ArithmeticError,
            AttributeError,
            OverflowError,
            MemoryError,
        ) as error:
            raise NotUnderstood(f"It can't be drawn: {error}.", field=part) from error
    subject = " ".join(parts["subject"].split())[:200]
    return Letter(subject, parts["text"].strip() + "\n", parts["html"])


def checked(text: LetterText, facts: Mapping[str, object]) -> Letter:
    """As `drawn`, and of a reasonable size; an empty subject or text is no letter. Raises
    NotUnderstood naming the field."""
    for part in PARTS:
        if len(getattr(text, part)) > MOST:
            raise NotUnderstood(f"At most {MOST:,} characters.", field=part)
    letter = drawn(text, facts)
    if not letter.subject:
        raise NotUnderstood("An email needs a subject.", field="subject")
    if not letter.text.strip():
        raise NotUnderstood("An email needs a text.", field="text")
    return letter
