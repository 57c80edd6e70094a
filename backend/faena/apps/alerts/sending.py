"""Sends what waits, by mail or by a call of a web address; what is refused or not answered is tried again.

A notice that was sent just before the machine died is sent once more, under the same number: a mail keeps its Message-ID
and a call its webhook-id, by which whoever takes them knows that they have it already.
"""

import base64
import hashlib
import hmac
import logging
import smtplib
import ssl
from collections.abc import Callable, Collection
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime
from typing import Any
from urllib.parse import urlsplit

import httpx
import orjson
from django.conf import settings
from django.db import transaction

from faena.apps.alerts.mail import mail_of
from faena.apps.alerts.models import Notice, Way
from faena.apps.alerts.ways import MailSettings, Security, WayKind, mail_settings, secret_of, webhook_address
from faena.apps.servers.reach import check_host, to_tell
from faena.core.errors import BadInput

log = logging.getLogger(__name__)
ANSWER_S = 10.0
FIRST_MS, LONGEST_MS = 10_000, 2 * 60_000  # between tries: twice as long each time
GIVEN_UP_MS = 24 * 3_600_000
MOST_AT_ONCE = 20
WAITING, SENT, GIVEN_UP = "waiting", "sent", "given_up"


class NotTaken(Exception):
    """Whoever should take a notice did not; says what was answered."""


def send_waiting(now_ms: int) -> int:
    """Each notice that is due, one after the other; how many were tried. One is in the hands of one sender only.

    A way that did not take one is left alone until the next round: nobody waits for a server that does not answer
    longer than once, least of all a notice by another way.
    """
    tried, away = 0, set[int]()
    while tried < MOST_AT_ONCE and (row := _send_next(now_ms, away)) is not None:
        tried += 1
        if row.state != SENT:
            away.add(row.way_id)
    return tried


def _send_next(now_ms: int, away: Collection[int]) -> Notice | None:
    """The notice that was tried, None where none is due by a way that is not `away`."""
    with transaction.atomic():
        due = Notice.objects.select_for_update(skip_locked=True, of=("self",)).select_related("way")
        waiting = due.filter(state=WAITING, next_ms__lte=now_ms).exclude(way__in=away)
        row = waiting.order_by("next_ms", "pk").first()
        if row is None:
            return None
        row.tries += 1
        try:
            _send(row.way, row, now_ms)
        except NotTaken as problem:
            row.error = str(problem)[:500]
            row.next_ms = now_ms + min(FIRST_MS * 2 ** min(row.tries - 1, 20), LONGEST_MS)
            if now_ms - row.made_ms >= GIVEN_UP_MS:
                row.state = GIVEN_UP
                log.warning("notice %s was not taken by %s for a day", row.pk, row.way.name)
        else:
            row.state, row.sent_ms, row.error = SENT, now_ms, ""
            _wake(row.way, now_ms)
        row.save()
    return row


def _wake(way: Way, now_ms: int) -> None:
    """A way that takes one is back: what waits for its next try need wait no longer, but for what another sender has."""
    others = Notice.objects.select_for_update(skip_locked=True).filter(way=way, state=WAITING, next_ms__gt=now_ms)
    Notice.objects.filter(pk__in=[one.pk for one in others]).update(next_ms=now_ms)


def _send(way: Way, notice: Notice, now_ms: int) -> None:
    """Raises NotTaken."""
    ways: dict[str, Callable[[Way, Notice, int], None]] = {WayKind.EMAIL.value: _mail, WayKind.WEBHOOK.value: _call}
    if not way.enabled:
        raise NotTaken("this way is switched off")
    try:
        ways[way.kind](way, notice, now_ms)
    except BadInput as problem:  # of its settings, or of an address that may not be called any more
        raise NotTaken(str(problem)) from problem


def _mail(way: Way, notice: Notice, now_ms: int) -> None:
    told = mail_settings(way.settings)
    message = mail_of(notice.body, notice.what)
    message["From"], message["To"] = told.sender, ", ".join(told.to)
    message["Date"] = format_datetime(datetime.fromtimestamp(now_ms / 1000, UTC))
    message["Message-ID"] = f"<notice-{notice.pk}@{_here()}>"
    if notice.alert_id is not None:  # mail programs put together what is of one alert
        message["References"] = f"<alert-{notice.alert_id}@{_here()}>"
    try:
        _deliver(told, secret_of(way), message)
    except (OSError, smtplib.SMTPException) as problem:
        raise NotTaken(f"{told.host}: {_said(problem)}") from problem


def _deliver(told: MailSettings, password: str, message: EmailMessage) -> None:
    """Raises OSError, SMTPException."""
    address = check_host(told.host, to_tell())
    context = ssl.create_default_context()
    with _connected(told, address, context) as server:
        if told.security is Security.STARTTLS:
            server.starttls(context=context)
        if told.user:
            server.login(told.user, password)
        server.send_message(message)


class _Pinned(smtplib.SMTP):
    """Connects to the address that was checked, under the name that was given."""

    address = ""
    _host = ""  # the name that a certificate is checked by

    def _get_socket(self, host: str, port: int, timeout: float) -> Any:
        return super()._get_socket(self.address, port, timeout)  # type: ignore[misc]


class _PinnedTls(smtplib.SMTP_SSL):
    address = ""
    _host = ""  # the name that a certificate is checked by

    def _get_socket(self, host: str, port: int, timeout: float) -> Any:
        return super()._get_socket(self.address, port, timeout)  # type: ignore[misc]


def _connected(told: MailSettings, address: str, context: ssl.SSLContext) -> "_Pinned | _PinnedTls":
    server = (
        _PinnedTls(timeout=ANSWER_S, context=context) if told.security is Security.TLS else _Pinned(timeout=ANSWER_S)
    )
    server.address = address
    server._host = told.host
    server.connect(told.host, told.port)
    return server


def _here() -> str:
    return urlsplit(settings.ENVIRONMENT.address).hostname or "faena"


def _said(problem: Exception) -> str:
    """What went wrong, in a line; answers of mail servers come as bytes."""
    if isinstance(problem, smtplib.SMTPResponseException):
        words = problem.smtp_error
        return f"{problem.smtp_code} {words.decode(errors='replace') if isinstance(words, bytes) else words}"
    return str(problem) or type(problem).__name__


def _call(way: Way, notice: Notice, now_ms: int) -> None:
    url = webhook_address(way.settings)
    parts = urlsplit(url)
    host = str(parts.hostname)
    address = check_host(host, to_tell())
    body = orjson.dumps(
        {
            "type": f"alert.{notice.what}",
            "timestamp": datetime.fromtimestamp(notice.made_ms / 1000, UTC).isoformat(),
            "data": {key: value for key, value in notice.body.items() if key != "picture"},
        }
    )
    headers = signed(f"notice_{notice.pk}", now_ms // 1000, body, secret_of(way))
    literal = f"[{address}]" if ":" in address else address
    pinned = parts._replace(netloc=f"{literal}:{parts.port}" if parts.port else literal).geturl()
    try:
        with httpx.Client(timeout=ANSWER_S, follow_redirects=False, trust_env=False) as client:
            answer = client.post(
                pinned, content=body, extensions={"sni_hostname": host},
                headers={**headers, "Host": parts.netloc, "Content-Type": "application/json", "User-Agent": "faena"},
            )  # fmt: skip
    except httpx.HTTPError as problem:
        raise NotTaken(f"{parts.netloc}: {problem or type(problem).__name__}") from problem
    if not 200 <= answer.status_code < 300:
        raise NotTaken(f"{parts.netloc} answered {answer.status_code}")


def signed(number: str, at_s: int, body: bytes, secret: str) -> dict[str, str]:
    """Headers of a call, by which it is known whose it is and how old. Source: the Standard Webhooks specification 1.0."""
    key = base64.b64decode(secret.removeprefix("whsec_"))
    said = f"{number}.{at_s}.".encode() + body
    signature = base64.b64encode(hmac.new(key, said, hashlib.sha256).digest()).decode()
    return {"webhook-id": number, "webhook-timestamp": str(at_s), "webhook-signature": f"v1,{signature}"}
