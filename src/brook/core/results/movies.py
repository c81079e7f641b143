"""Pictures one after another as a movie: WebM (VP9), MP4 (AV1), or a PNG each, packed into a ZIP or numbered."""

from __future__ import annotations

import zipfile
from io import BytesIO
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import numpy as np
from PIL import Image

CODECS = {
    ".webm": ("libvpx-vp9", {"deadline": "realtime", "cpu-used": "6", "crf": "30", "b": "0"}),
    ".mp4": ("libsvtav1", {"preset": "10", "crf": "32"}),
}
PER_PIXEL = {".webm": 0.03, ".mp4": 0.02, ".png": 0.4, ".zip": 0.4}  # bytes that a pixel of a picture takes, about
KINDS = (*CODECS, ".zip", ".png")


def bytes_of(kind: str, width: int, height: int, pictures: int) -> float:
    """How large a movie will be, about."""
    return PER_PIXEL[kind] * width * height * pictures


class Movie:
    """A movie in a file, to which pictures are added; of PNG a file each, numbered. It is only there under its name once it is whole. Raises `ValueError` for a kind of file that is not known."""

    def __init__(self, path: Path, rate: int):
        if path.suffix.lower() not in KINDS:
            raise ValueError(f"{path.name}: movies are written as {', '.join(KINDS)}")
        self.path, self.rate, self.kind = path, rate, path.suffix.lower()
        self.count = 0
        self._part = path.with_name(f".{path.stem}-part{self.kind}")
        self._box: Any = None
        self._stream: Any = None

    def __enter__(self) -> Self:
        return self

    def add(self, colours: np.ndarray) -> None:
        """One more picture, colours (height, width, 3) from 0 to 255, as large as all others."""
        self.count += 1
        if self.kind == ".png":
            Image.fromarray(colours).save(self.path.with_name(f"{self.path.stem}-{self.count:04d}.png"))
            return
        if self.kind == ".zip":
            self._box = self._box or zipfile.ZipFile(self._part, "w")  # PNG is packed already
            data = BytesIO()
            Image.fromarray(colours).save(data, format="png")
            self._box.writestr(f"{self.path.stem}-{self.count:04d}.png", data.getvalue())
            return
        import av

        colours = colours[: colours.shape[0] // 2 * 2, : colours.shape[1] // 2 * 2]  # codecs take even sizes
        if self._box is None:
            codec, options = CODECS[self.kind]
            self._box = av.open(str(self._part), "w")
            self._stream = self._box.add_stream(codec, rate=self.rate, options=options)
            self._stream.height, self._stream.width, self._stream.pix_fmt = *colours.shape[:2], "yuv420p"
        for packet in self._stream.encode(av.VideoFrame.from_ndarray(np.ascontiguousarray(colours), format="rgb24")):
            self._box.mux(packet)

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._box is None:
            return
        if kind is None and self._stream is not None:
            for packet in self._stream.encode():
                self._box.mux(packet)
        self._box.close()
        if kind is None:
            self._part.replace(self.path)
        else:
            self._part.unlink(missing_ok=True)
