"""Movies: as many pictures as were given, as large, in files that a common reader opens; nothing half-written."""

import zipfile

import av
import numpy as np
import pytest
from PIL import Image

from brook.core.results.movies import Movie, bytes_of


def picture(k, size=(320, 201)):
    """A disc that goes to the right."""
    x, y = np.meshgrid(np.arange(size[0]), np.arange(size[1]))
    inside = (x - 40 - 20 * k) ** 2 + (y - 100) ** 2 < 900
    return np.where(inside[..., None], [180, 70, 30], [245, 243, 238]).astype(np.uint8)


@pytest.mark.parametrize("kind", [".webm", ".mp4"])
def test_a_movie_has_its_pictures(tmp_path, kind):
    path = tmp_path / f"disc{kind}"
    with Movie(path, 10) as movie:
        for k in range(12):
            movie.add(picture(k))
    with av.open(str(path)) as box:
        frames = [frame.to_ndarray(format="rgb24") for frame in box.decode(video=0)]
    assert len(frames) == 12
    assert frames[0].shape == (200, 320, 3)  # codecs take even sizes
    for k in (0, 11):
        assert np.abs(frames[k][100, 40 + 20 * k].astype(int) - [180, 70, 30]).max() < 40
    assert [p.name for p in tmp_path.iterdir()] == [path.name]
    assert path.stat().st_size < 10 * bytes_of(kind, 320, 200, 12)


def test_pictures_are_numbered_and_what_breaks_off_leaves_nothing(tmp_path):
    with Movie(tmp_path / "disc.png", 10) as movie:
        for k in range(3):
            movie.add(picture(k))
    assert sorted(p.name for p in tmp_path.iterdir()) == ["disc-0001.png", "disc-0002.png", "disc-0003.png"]
    with Movie(tmp_path / "disc.zip", 10) as movie:
        for k in range(3):
            movie.add(picture(k))
    with zipfile.ZipFile(tmp_path / "disc.zip") as packed:
        assert packed.namelist() == ["disc-0001.png", "disc-0002.png", "disc-0003.png"]
        assert Image.open(packed.open("disc-0003.png")).getpixel((80, 100)) == (180, 70, 30)
    movie = Movie(tmp_path / "broken.webm", 10)
    movie.add(picture(0))
    movie.__exit__(RuntimeError, None, None)
    assert not list(tmp_path.glob("*broken*"))
    assert not list(tmp_path.glob(".broken*"))
    with pytest.raises(ValueError, match=r"disc.gif: movies are written as \.webm, \.mp4, \.zip, \.png"):
        Movie(tmp_path / "disc.gif", 10)
