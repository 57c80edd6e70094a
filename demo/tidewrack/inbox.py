"""The inbox of Tidewrack's DBA: a real mail server and a receiver of webhooks, and a page that shows what came.

Nothing leaves this machine. Mails are kept as files, so that they are still there after a restart.
"""

import hashlib
import hmac
import html
import json
import os
import time
from base64 import b64decode, b64encode
from email.message import EmailMessage
from email.parser import BytesParser
from email.policy import default
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import urlsplit

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

PORT = int(os.environ["TIDEWRACK_WEB_PORT"]) + 4  # of mails; the page is one further
FOLDER = Path(os.environ["TIDEWRACK_INBOX"])
OLDEST_S = 300  # an older call is somebody else's repetition
MOST = 200
STYLE = (
    "body{font:15px/1.5 system-ui,sans-serif;background:#f6f2e7;color:#23252b;max-width:880px;margin:24px auto;padding:0 16px}"
    "a{color:#0f5c9c}table{width:100%;border-collapse:collapse}td{border-top:1px solid #d9d3c4;padding:6px 8px 6px 0;"
    "vertical-align:top}iframe{width:100%;height:720px;border:1px solid #d9d3c4;background:#fff}.muted{color:#5f6470}"
)


class Mails:
    """Takes mails; one that comes twice under the same Message-ID is kept once."""

    async def handle_DATA(self, _server: SMTP, _session: Session, envelope: Envelope) -> str:  # noqa: N802
        content = envelope.content
        assert isinstance(content, bytes)
        name = hashlib.sha256(str(_read(content)["Message-ID"]).encode()).hexdigest()[:16]
        if not list(FOLDER.glob(f"*-{name}.eml")):
            _keep(f"{time.time():.3f}-{name}.eml", content)
        return "250 kept"


def _keep(name: str, content: bytes) -> None:
    """Whole or not at all, and no more than so many of all."""
    part = FOLDER / f".{name}"
    part.write_bytes(content)
    part.rename(FOLDER / name)
    for old in sorted(FOLDER.glob("[0-9]*"))[:-MOST]:
        old.unlink(missing_ok=True)


def _read(content: bytes) -> EmailMessage:
    return BytesParser(policy=default).parsebytes(content)  # type: ignore[return-value]


def is_genuine(headers: dict[str, str], body: bytes, secret: str, now_s: float) -> bool:
    """Whether a call bears our secret's signature and is no repetition of an old one."""
    number, at = headers.get("webhook-id", ""), headers.get("webhook-timestamp", "")
    if not at.isdigit() or abs(now_s - int(at)) > OLDEST_S or not secret:
        return False
    key = b64decode(secret.removeprefix("whsec_"))
    wanted = b64encode(hmac.new(key, f"{number}.{at}.".encode() + body, hashlib.sha256).digest()).decode()
    given = headers.get("webhook-signature", "").split()
    return any(hmac.compare_digest(f"v1,{wanted}", one) for one in given)


class Page(BaseHTTPRequestHandler):
    """The list of what came, one mail as it is rendered, and the address for webhooks."""

    def do_GET(self) -> None:
        path = urlsplit(self.path).path
        if path == "/":
            self._answer(_list())
        elif path.startswith(("/mail/", "/body/")):
            file = FOLDER / f"{Path(path).name}.eml"
            if file.is_file():
                mail = _read(file.read_bytes())
                self._answer(_mail(file.stem, mail) if path.startswith("/mail/") else _body(mail))
            else:
                self._answer("<p>This mail is not here any more.</p>", 404)
        elif path == "/items.json":
            self._answer(json.dumps(_items()), kind="application/json")
        else:
            self._answer("<p>Nothing is kept at this address.</p>", 404)

    def do_POST(self) -> None:
        body = self.rfile.read(min(int(self.headers.get("Content-Length") or 0), 1_000_000))
        headers = {key.lower(): value for key, value in self.headers.items()}
        secret = (FOLDER / "hook.secret").read_text() if (FOLDER / "hook.secret").exists() else ""
        if not is_genuine(headers, body, secret, time.time()):
            self._answer("not genuine", 401)
            return
        name = hashlib.sha256(headers["webhook-id"].encode()).hexdigest()[:16]
        if not list(FOLDER.glob(f"*-{name}.json")):
            _keep(f"{time.time():.3f}-{name}.json", body)
        self._answer("", 204)

    def _answer(self, text: str, status: int = 200, kind: str = "text/html") -> None:
        content = text.encode()
        self.send_response(status)
        self.send_header("Content-Type", f"{kind}; charset=utf-8")
        self.send_header(
            "Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-src 'self'"
        )
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)

    def log_message(self, *_: object) -> None:
        """Not a word of each call."""


def _items() -> list[dict[str, str]]:
    """The newest first: mails with subject and sender, calls with what they told."""
    found = []
    for file in sorted(FOLDER.glob("[0-9]*"), reverse=True):
        at = time.strftime("%d %b %H:%M:%S", time.localtime(float(file.name.split("-")[0])))
        if file.suffix == ".eml":
            mail = _read(file.read_bytes())
            found.append({"kind": "mail", "at": at, "name": file.stem, "what": str(mail["Subject"])})
        else:
            told = json.loads(file.read_bytes())
            what = f"{told['type']}: {told['data']['headline']}"
            found.append({"kind": "webhook", "at": at, "name": file.stem, "what": what})
    return found


def _list() -> str:
    rows = "".join(
        f"<tr><td class=muted>{one['at']}</td><td>{one['kind']}</td><td>"
        + (
            f"<a href='/mail/{one['name']}'>{html.escape(one['what'])}</a>"
            if one["kind"] == "mail"
            else html.escape(one["what"])
        )
        + "</td></tr>"
        for one in _items()
    )
    empty = (
        ""
        if rows
        else "<p>Nothing has come yet. Start a trouble: <code>./faena demo trouble start idle-console</code></p>"
    )
    return f"<!doctype html><html lang=en><title>Inbox</title><style>{STYLE}</style><h1>Inbox of Tidewrack's DBA</h1>{empty}<table>{rows}</table></html>"


def _mail(name: str, mail: EmailMessage) -> str:
    text = mail.get_body(("plain",))
    plain = html.escape(text.get_content()) if text is not None else ""
    return (
        f"<!doctype html><html lang=en><title>{html.escape(str(mail['Subject']))}</title><style>{STYLE}</style><p><a href='/'>inbox</a></p>"
        f"<h1>{html.escape(str(mail['Subject']))}</h1><p class=muted>from {html.escape(str(mail['From']))} to {html.escape(str(mail['To']))}</p>"
        f"<iframe sandbox='allow-popups allow-top-navigation-by-user-activation' title='the mail' src='/body/{name}'></iframe>"
        f"<h2>As plain text</h2><pre style='white-space:pre-wrap'>{plain}</pre></html>"
    )


def _body(mail: EmailMessage) -> str:
    """The HTML part, its pictures put in; links open over the whole page."""
    part = mail.get_body(("html",))
    shown = part.get_content() if part is not None else ""
    for one in mail.walk():
        if one.get_content_maintype() == "image":
            content = b64encode(one.get_payload(decode=True)).decode()  # type: ignore[arg-type]
            shown = shown.replace(f"cid:{str(one['Content-ID']).strip('<>')}", f"data:image/png;base64,{content}")
    return shown.replace("<a href", "<a target=_top href")


def main() -> None:
    """Both, until the process is stopped."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    controller = Controller(Mails(), hostname="127.0.0.1", port=PORT)
    controller.start()
    try:
        ThreadingHTTPServer(("127.0.0.1", PORT + 1), Page).serve_forever()
    finally:
        controller.stop()


if __name__ == "__main__":
    main()
