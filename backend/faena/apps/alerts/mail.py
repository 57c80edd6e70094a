"""A notice as a mail: the same in plain text and in HTML, with the waterline as a picture inside of it."""

import base64
from collections.abc import Mapping, Sequence
from email.message import EmailMessage
from email.policy import SMTP
from html import escape
from typing import Any

_INK, _MUTED, _LINE, _GROUND, _ACCENT = "#23252b", "#5f6470", "#d9d3c4", "#f6f2e7", "#0f5c9c"
_WORDS = {"began": "", "worse": "got worse: ", "again": "still goes on: ", "over": "over: ", "test": "trial: "}
PICTURE = "waterline"


def subject_of(body: Mapping[str, Any], what: str) -> str:
    """One line, without line breaks: a foreign name can hold anything."""
    return " ".join(f"{_WORDS.get(what, '')}{body['headline']}".split())[:200]


def mail_of(body: Mapping[str, Any], what: str) -> EmailMessage:
    """Without sender and recipients."""
    message = EmailMessage(policy=SMTP.clone(max_line_length=250))  # a subject stays in one line
    message["Subject"] = subject_of(body, what)
    message["Auto-Submitted"] = "auto-generated"  # so that no absent person answers
    message.set_content(text_of(body))
    message.add_alternative(html_of(body), subtype="html")
    if body.get("picture"):
        html = message.get_payload()[1]  # type: ignore[index]
        html.add_related(  # type: ignore[union-attr]
            base64.b64decode(body["picture"]), "image", "png", cid=f"<{PICTURE}>", filename="waterline.png",
            disposition="inline",
        )  # fmt: skip
    return message


def _paragraphs(body: Mapping[str, Any]) -> list[tuple[str, Sequence[str]]]:
    """Headings with their lines; those without lines are left out."""
    lead = body.get("lead") or {}
    found = [
        ("", [str(body.get("when", ""))]),
        ("What holds", [str(one["sentence"]) for one in body.get("firings", ())]),
        ("What is at fault", [str(one) for one in lead.get("chain", ())]),
        ("Next step", [lead["next_step"]] if lead.get("next_step") else []),
        ("What had changed", [str(one) for one in body.get("changes", ())]),
    ]
    return [(title, [line for line in lines if line]) for title, lines in found if any(lines)]


def text_of(body: Mapping[str, Any]) -> str:
    """Plain text."""
    parts = [str(body["headline"])]
    for title, lines in _paragraphs(body):
        parts.append("\n".join([*([title] if title else []), *(f"- {one}" if title else one for one in lines)]))
    parts.append(f"Look at it: {body['link']}")
    return "\n\n".join(parts) + "\n"


def html_of(body: Mapping[str, Any]) -> str:
    """Tables and styles of its own on each element: what every mail program shows. All text is escaped."""
    rows = [f'<h1 style="font-size:18px;margin:0 0 8px;color:{_INK}">{escape(str(body["headline"]))}</h1>']
    for title, lines in _paragraphs(body):
        if title:
            rows.append(f'<h2 style="font-size:13px;margin:16px 0 4px;color:{_MUTED}">{escape(title)}</h2>')
        rows += [f'<p style="font-size:14px;margin:0 0 4px;color:{_INK}">{escape(one)}</p>' for one in lines]
        if not title and body.get("picture"):
            rows.append(
                f'<img src="cid:{PICTURE}" width="560" alt="{escape(str(body.get("picture_says", "")), quote=True)}" '
                f'style="display:block;margin:12px 0;border:1px solid {_LINE};max-width:100%">'
            )
    link = escape(str(body["link"]), quote=True)
    rows.append(
        f'<p style="margin:20px 0 0"><a href="{link}" style="color:{_ACCENT};font-size:14px">Look at it</a></p>'
    )
    return (
        f'<!doctype html><html lang="en"><body style="margin:0;background:{_GROUND}"><table role="presentation" '
        f'width="100%" cellpadding="0" cellspacing="0"><tr><td align="center" style="padding:24px">'
        f'<table role="presentation" width="600" cellpadding="0" cellspacing="0" style="max-width:600px;'
        f'font-family:Helvetica,Arial,sans-serif"><tr><td>{"".join(rows)}</td></tr></table></td></tr></table></body></html>'
    )
