"""The waterline of a window as a PNG: for mails, which show no script and no SVG."""

from io import BytesIO

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from faena.apps.answers.indicators import load_by_kind
from faena.apps.servers.clock import clock_of
from faena.apps.servers.models import Server
from faena.core.series.window import Window, cut
from faena.core.waits.kinds import WaitKind

WIDTH, HEIGHT, SCALE = 560, 150, 2  # pixels of the mail; drawn twice as fine
LEFT, TOP, BOTTOM = 34, 8, 18
CELLS = 80
INK, MUTED, LINE, GROUND = "#23252b", "#5f6470", "#d9d3c4", "#f6f2e7"
COLOURS = {
    WaitKind.RUNNING: "#3d4663", WaitKind.LOCK: "#8a2f6b", WaitKind.DATA_IO: "#1d7f7a", WaitKind.COMMIT: "#b4612a",
    WaitKind.ENGINE: "#7c8450", WaitKind.CLIENT: "#b79f6c",
}  # fmt: skip
OTHER = "#8b8680"


def waterline_png(server: Server, window: Window, now_ms: int) -> bytes | None:
    """Sessions that run above the line, sessions that wait below it; None where nothing was sampled."""
    answer = load_by_kind(server, cut(window, at_most=CELLS, period_ms=server.period_ms), now=now_ms)
    buckets, series = answer.buckets, answer.series
    known = series.ticks > 0
    if not known.any():
        return None
    rows = {
        WaitKind(name): np.where(known, values, 0.0)
        for name, values in zip(series.groups, series.sessions(), strict=True)
    }
    running = rows.pop(WaitKind.RUNNING, np.zeros(buckets.count))
    waiting = sum(rows.values(), start=np.zeros(buckets.count))
    cores = float(server.cores or 0)
    up, down = max(float(running.max()), cores, 0.5), max(float(waiting.max()), 0.5)
    image = Image.new("RGB", (WIDTH * SCALE, HEIGHT * SCALE), GROUND)
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(11 * SCALE)
    high = (HEIGHT - TOP - BOTTOM) * SCALE
    zero = TOP * SCALE + high * up / (up + down)
    size = high / (up + down)  # pixels of a session
    wide = (WIDTH - LEFT) * SCALE / buckets.count
    for i in range(buckets.count):
        x0, x1 = LEFT * SCALE + i * wide, LEFT * SCALE + (i + 1) * wide - 1
        if not known[i]:
            draw.rectangle((x0, TOP * SCALE, x1, TOP * SCALE + high), fill="#ece7db")
            continue
        draw.rectangle((x0, zero - running[i] * size, x1, zero), fill=COLOURS[WaitKind.RUNNING])
        y = zero
        for kind, values in sorted(rows.items(), key=lambda row: float(row[1].sum())):
            draw.rectangle((x0, y, x1, y + values[i] * size), fill=COLOURS.get(kind, OTHER))
            y += values[i] * size
    if cores:
        draw.line((LEFT * SCALE, zero - cores * size, WIDTH * SCALE, zero - cores * size), fill=INK, width=1)
        draw.text((LEFT * SCALE + 4, zero - cores * size), f"{cores:.0f} cores", fill=MUTED, font=font, anchor="ls")
    draw.line((LEFT * SCALE, zero, WIDTH * SCALE, zero), fill=INK, width=SCALE)
    for value, place in ((up, TOP * SCALE), (down, TOP * SCALE + high)):
        draw.text(((LEFT - 4) * SCALE, place), f"{value:.2g}", fill=MUTED, font=font, anchor="rm")
    calendar = clock_of(server).calendar
    for at, x, anchor in ((window.start, LEFT * SCALE, "ls"), (window.end, WIDTH * SCALE - 2, "rs")):
        seconds = calendar.local(at) // 1000 % 86_400
        words = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}"
        draw.text((x, (HEIGHT - 3) * SCALE), words, fill=MUTED, font=font, anchor=anchor)
    found = BytesIO()
    image.save(found, "PNG", optimize=True)
    return found.getvalue()
