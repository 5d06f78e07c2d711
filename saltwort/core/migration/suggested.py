"""Which space a picture of a scene is in: what the project sets for it, else what its file and its use tell."""

from pathlib import PurePosixPath

from saltwort.core.engine.processors import is_linear
from saltwort.core.errors import BadInput
from saltwort.core.migration.plan import Draft, DraftPicture
from saltwort.core.textures.evidence import best_colour, data_space, evidence_for, verdict_of
from saltwort.core.textures.kinds import MAP_KINDS, KindMatch, map_kind_of


def suggested_space(draft: Draft, picture: DraftPicture) -> tuple[str, str] | None:
    """The space for a picture with the reason, as a sentence; None where nothing tells."""
    use = picture.use
    name = PurePosixPath(use.file.replace("\\", "/")).name
    if use.is_data and (data := data_space(draft.config)):
        return data, f"It ends in {use.feeds}, which takes plain numbers."
    set_here = draft.assigned_by_name.get(name.lower(), set())
    if len(set_here) == 1:
        return next(iter(set_here)), "The project reads this texture so."
    files = draft.scene.files_of(use)
    found = draft.survey(files[0]) if files else None
    if found is None:
        return None
    kind = _kind_of(draft, picture, name)
    asked = files[0], kind.kind.key
    if asked not in draft.evidence:
        try:
            draft.evidence[asked] = evidence_for(draft.config, files[0].name, kind, found.facts)
        except BadInput:
            draft.evidence[asked] = []
    evidence = draft.evidence[asked]
    verdict = verdict_of(evidence)
    space = verdict.space if verdict.space and verdict.space != data_space(draft.config) else best_colour(evidence)
    if space is None:
        return None
    sure = f", {verdict.confidence:.0%} sure" if verdict.space == space else ""
    said = picture.meant.space if picture.meant else None
    if verdict.primaries_are_assumed and said and is_linear(draft.config, said):
        return said, f"It holds light{sure}; its primaries are those that its document says."
    if verdict.primaries_are_assumed and verdict.space == space:
        return (
            picture.before.working,
            f"It holds light{sure}; of which primaries nothing says, so they are the scene's.",
        )
    speaking = [each for each in evidence if each.favours == space]
    says = max(speaking, key=lambda each: each.weight).says if speaking else "The file tells it"
    return space, f"{says.rstrip('.')}{sure}."


def _kind_of(draft: Draft, picture: DraftPicture, name: str) -> KindMatch:
    """The map kind by what a picture ends in, else by its name."""
    if picture.use.is_environment:
        return KindMatch(MAP_KINDS["environment"], "")
    found = map_kind_of(name, draft.words)
    if found is None or found.kind.group == "data":
        return KindMatch(MAP_KINDS["base_colour"], "")
    return found
