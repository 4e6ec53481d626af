"""Routes of pack profiles that are kept for all materials."""

from __future__ import annotations

from typing import Any

from flask import Blueprint

from amber_thicket.core.pack.profiles import OwnProfile
from amber_thicket.errors import NotFound
from amber_thicket.service import answers
from amber_thicket.service.library import clean_name
from amber_thicket.store.models import KeptProfile
from amber_thicket.web.endpoint import Body, endpoint

blueprint = Blueprint("profiles", __name__)


class ProfileForAll(Body):
    """A profile to keep under its label."""

    profile: OwnProfile


def _told(kept: KeptProfile) -> dict[str, Any]:
    return {"id": kept.id, "name": kept.name, "profile": kept.profile, "created": kept.created}


@endpoint(blueprint, "GET", "/api/profiles", answer=list[answers.KeptProfile])
def listed() -> Any:
    """All kept profiles, by name."""
    return [_told(kept) for kept in KeptProfile.select().order_by(KeptProfile.name)]


@endpoint(blueprint, "POST", "/api/profiles", answer=answers.KeptProfile, body=ProfileForAll)
def kept(body: ProfileForAll) -> Any:
    """Keeps a profile for all materials; one of the same name is replaced."""
    name, profile = clean_name(body.profile.label), body.profile.model_dump(mode="json")
    made, fresh = KeptProfile.get_or_create(name=name, defaults={"profile": profile})
    if not fresh:
        KeptProfile.update(profile=profile).where(KeptProfile.id == made.id).execute()
    return _told(KeptProfile.get_by_id(made.id))


@endpoint(blueprint, "DELETE", "/api/profiles/<int:profile_id>", answer=answers.Nothing)
def dropped(profile_id: int) -> Any:
    """Forgets a profile; materials that took it keep theirs."""
    if not KeptProfile.delete().where(KeptProfile.id == profile_id).execute():
        raise NotFound("There is no such profile.", remedy="Reload the page.")
    return {}
