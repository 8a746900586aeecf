"""Pictures, and what is in a sealed file, for tests."""

import io
import zipfile

from PIL import Image


def picture(size=(64, 48), form="JPEG", **more):
    out = io.BytesIO()
    Image.new("RGB", size, (120, 60, 20)).save(out, form, **more)
    return out.getvalue()


def members(data):
    file = zipfile.ZipFile(io.BytesIO(data))
    return {n: file.read(n) for n in file.namelist()}
