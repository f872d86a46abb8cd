"""Pictures of damage: taken or dropped in, made small, shown on the unit."""

import io
from datetime import datetime

from PIL import Image, ImageOps, UnidentifiedImageError
from pydantic import BaseModel

from sortis_core.base import SortisError
from sortis_server.arrive.models import Unit
from sortis_server.inspect.models import Photo
from sortis_server.people.models import Person
from sortis_server.problems import NotThere
from sortis_server.uploads import LARGEST_BYTES

LONGEST_SIDE = 1600
MOST_PIXELS = 60_000_000
"""More than any phone takes; a small file can claim far more."""
KINDS = ("JPEG", "PNG", "WEBP")
QUALITY = 82
MOST_PHOTOS = 24


class PhotoRefused(SortisError):
    """The file is no picture that can be kept."""

    title = "The picture was not kept"


class PhotoView(BaseModel):
    """A picture on a unit."""

    number: int
    words: str
    width: int
    height: int
    by: str
    at: datetime


def photos_of(unit: Unit) -> list[PhotoView]:
    """The unit's pictures, oldest first; their bytes stay in the database."""
    rows = unit.photos.defer("data").select_related("by").filter(removed=False).order_by("pk")
    return [
        PhotoView(
            number=row.pk,
            words=row.words,
            width=row.width,
            height=row.height,
            by=row.by.name,
            at=row.at,
        )
        for row in rows
    ]


def keep_photo(unit: Unit, data: bytes, words: str, by: Person) -> Photo:
    """Keep a picture, upright and at most 1,600 pixels long, without what the camera noted.

    :raises PhotoRefused: where it is no picture, too large, or one too many.
    """
    if unit.photos.filter(removed=False).count() >= MOST_PHOTOS:
        raise PhotoRefused(f"{unit.tag} has {MOST_PHOTOS} pictures already. Take one off first.")
    picture = shrink(data)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=QUALITY, optimize=True)
    return Photo.objects.create(
        unit=unit,
        by=by,
        words=words.strip()[:200],
        width=picture.width,
        height=picture.height,
        data=out.getvalue(),
    )


def shrink(data: bytes) -> Image.Image:
    """The picture upright, in plain colours, at most 1,600 pixels long.

    :raises PhotoRefused: where it cannot be read as a picture.
    """
    if not data:
        raise PhotoRefused("The file is empty. Take the picture again.")
    if len(data) > LARGEST_BYTES:
        raise PhotoRefused(
            f"The picture has more than {LARGEST_BYTES // 1_000_000} MB. Take it at a lower size."
        )
    try:
        picture = Image.open(io.BytesIO(data), formats=KINDS)
        if picture.width * picture.height > MOST_PIXELS:
            raise Image.DecompressionBombError
        picture.draft("RGB", (LONGEST_SIDE, LONGEST_SIDE))
        upright = ImageOps.exif_transpose(picture) or picture
        upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
        plain = Image.new("RGB", upright.size, "white")
        mask = upright.convert("RGBA") if upright.mode in ("RGBA", "LA", "P") else None
        plain.paste(upright.convert("RGB"), mask=mask.getchannel("A") if mask else None)
        return plain
    except UnidentifiedImageError as error:
        raise PhotoRefused(
            "This is not a picture. JPEG, PNG and WebP are taken; save or take it as one of them."
        ) from error
    except Image.DecompressionBombError as error:
        raise PhotoRefused(
            "The picture claims more points than a camera takes. Take it again."
        ) from error
    except (OSError, ValueError, SyntaxError) as error:
        raise PhotoRefused("The picture is damaged or cut off. Take it again.") from error


def photo_called(unit: Unit, number: int) -> Photo:
    """One picture of the unit.

    :raises NotThere: where there is none of that number.
    """
    photo = unit.photos.filter(pk=number, removed=False).first()
    if photo is None:
        raise NotThere(f"{unit.tag} has no such picture.")
    return photo
