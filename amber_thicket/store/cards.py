"""What the library shows and finds of a material beyond the material itself: its card, tags, collections, state.

Words are found by SQLite's FTS5 with trigrams, so that a part of a file's name is enough; what is shorter than three
letters is looked for in the cards themselves.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence
from typing import Any, Literal, NamedTuple, get_args

from peewee import AutoField, CharField, FloatField, ForeignKeyField, IntegerField, SqliteDatabase, TextField

from amber_thicket.store.models import Base, Material, Step

State = Literal["as_shot", "open", "to_settle", "passed", "packed"]
Kind = Literal[
    "photograph", "light_set", "two_lights", "bracket", "focus", "walk_by", "scan", "cutout", "maps", "words"
]
Order = Literal["newest", "oldest", "changed", "name", "size", "state"]
LabelKind = Literal["tag", "collection"]
STATES, KINDS = get_args(State), get_args(Kind)
MOST_LABELS, LONGEST_LABEL, LONGEST_NOTES = 60, 60, 20_000
_TRIGRAM = 3


class Card(Base):
    """A row for each material. name, tags, files: what is searched, beside notes. width_mm: of one tile, 0 where nobody
    knows. checked_head: the state that was checked; to_settle, untold: how many of its rules are not met, or cannot
    be told. packed_head: the state that was packed."""

    id = AutoField()
    material = ForeignKeyField(Material, backref="cards", on_delete="CASCADE", unique=True)
    name = TextField(default="")
    tags = TextField(default="")
    files = TextField(default="")
    notes = TextField(default="")
    kind = CharField(default="photograph", index=True)
    width_mm = FloatField(default=0.0)
    checked_head = IntegerField(null=True)
    checked = FloatField(default=0.0)
    to_settle = IntegerField(default=0)
    untold = IntegerField(default=0)
    packed_head = IntegerField(null=True)
    packed = FloatField(default=0.0)


class Label(Base):
    """A tag of a material, or a collection it is in."""

    id = AutoField()
    material = ForeignKeyField(Material, backref="labels", on_delete="CASCADE", index=True)
    kind = CharField()
    name = CharField()

    class Meta:
        indexes = ((("kind", "name", "material"), True),)


CARDS = (Card, Label)
_SEARCHED = ("name", "tags", "files", "notes")
_COLUMNS = ", ".join(_SEARCHED)
_OLD, _NEW = (", ".join(f"{which}.{name}" for name in _SEARCHED) for which in ("old", "new"))
# The words of a card follow it, also where a material is deleted and takes its card along.
_TAKEN_OUT = f"INSERT INTO words(words, rowid, {_COLUMNS}) VALUES ('delete', old.id, {_OLD})"
_PUT_IN = f"INSERT INTO words(rowid, {_COLUMNS}) VALUES (new.id, {_NEW})"
_TRIGGER = "CREATE TRIGGER IF NOT EXISTS"
_WORDS = (
    f"CREATE VIRTUAL TABLE IF NOT EXISTS words USING "
    f"fts5({_COLUMNS}, content='card', content_rowid='id', tokenize='trigram')",
    f"{_TRIGGER} card_made AFTER INSERT ON card BEGIN {_PUT_IN}; END",
    f"{_TRIGGER} card_gone AFTER DELETE ON card BEGIN {_TAKEN_OUT}; END",
    f"{_TRIGGER} card_changed AFTER UPDATE OF {_COLUMNS} ON card BEGIN {_TAKEN_OUT}; {_PUT_IN}; END",
    "CREATE INDEX IF NOT EXISTS material_listed ON material (archived, created)",
)
_STATE = (
    "CASE WHEN c.packed_head = m.head THEN 'packed' WHEN c.checked_head = m.head AND c.to_settle = 0 THEN 'passed' "
    "WHEN s.parent IS NULL THEN 'as_shot' WHEN c.checked_head = m.head THEN 'to_settle' ELSE 'open' END"
)
# Of the present state alone, packed or not; what was found of another one says nothing of it.
_OPEN, _UNTOLD = (f"CASE WHEN c.checked_head = m.head THEN c.{name} ELSE 0 END" for name in ("to_settle", "untold"))
_SINCE = (
    "CASE WHEN c.packed_head = m.head THEN c.packed WHEN c.checked_head = m.head AND (c.to_settle = 0 OR "
    "s.parent IS NOT NULL) THEN c.checked WHEN s.parent IS NULL THEN m.created ELSE m.changed END"
)
_FROM = "FROM material m JOIN card c ON c.material_id = m.id LEFT JOIN step s ON s.id = m.head"
_ORDERS: dict[Order, str] = {
    "newest": "m.created DESC, c.id DESC",
    "oldest": "m.created, c.id",
    "changed": "m.changed DESC, c.id DESC",
    "name": "c.name COLLATE NOCASE, c.id",
    "size": "c.width_mm = 0, c.width_mm, c.id",
    # What needs a hand comes first.
    "state": f"CASE WHEN {_OPEN} > 0 AND state <> 'as_shot' THEN 0 WHEN state = 'open' THEN 1 "
    "WHEN state = 'as_shot' THEN 2 WHEN state = 'passed' THEN 3 ELSE 4 END, m.created DESC, c.id DESC",
}


class LibraryQuery(NamedTuple):
    """What is looked for. words: all of them are in a card. Nothing in a field means all. largest_mm: of a tile's
    width; sizes nobody knows are left out then."""

    words: str = ""
    state: str = ""
    kind: str = ""
    tags: tuple[str, ...] = ()
    collection: str = ""
    archived: bool = False
    smallest_mm: float = 0.0
    largest_mm: float = 0.0


def make_tables(database: SqliteDatabase) -> None:
    """Cards of a data folder that had none."""
    database.create_tables(CARDS, safe=True)
    for statement in _WORDS:
        database.execute_sql(statement)
    for material in Material.select(Material.id, Material.name, Material.source, Material.head):
        step = Step.get_or_none(Step.id == material.head)
        sync_card(material, (step.recipe if step else {}).get("operations", {}))


def kind_of(source: dict[str, Any], operations: dict[str, Any]) -> Kind:
    """What a material was made of. operations: of its recipe, as stored."""

    def there(id: str, name: str) -> Any:
        settings = operations.get(id)
        return settings.get(name) if isinstance(settings, dict) else None

    if source.get("scan"):
        return "scan"
    if source.get("origin"):
        return "words"
    if there("gather.walk", "frames"):
        return "walk_by"
    if there("gather.merge", "frames"):
        return "focus" if there("gather.merge", "by") == "focus" else "bracket"
    if there("gather.lights", "frames"):
        return "light_set"
    if there("tile.cutout", "on"):
        return "cutout"
    if there("gather.maps", "other_light"):
        return "two_lights"
    roles = {info.get("role") for info in (source, *source.get("more", []))}
    return "photograph" if roles <= {"photo", "part", "", None} else "maps"


def sync_card(material: Material, operations: dict[str, Any]) -> None:
    """Brings a material's card up to what it is now; makes it where there is none."""
    names = [str(info.get("file", "")) for info in (material.source, *material.source.get("more", []))]
    now = {"name": material.name, "files": " ".join(names), "kind": kind_of(material.source, operations)}
    card = Card.get_or_none(Card.material == material.id)
    if card is None:
        Card.create(material=material, **now)
    elif any(getattr(card, name) != value for name, value in now.items()):
        Card.update(now).where(Card.id == card.id).execute()


def note_width(material_id: str, width_mm: float) -> None:
    Card.update(width_mm=width_mm).where((Card.material == material_id) & (Card.width_mm != width_mm)).execute()


def note_checked(material_id: str, head: int, to_settle: int, untold: int) -> None:
    """What came of checking one state of a material."""
    told = {"checked_head": head, "to_settle": to_settle, "untold": untold}
    known = Card.get_or_none(Card.material == material_id)
    if known is not None and any(getattr(known, name) != value for name, value in told.items()):
        Card.update(**told, checked=time.time()).where(Card.id == known.id).execute()


def packed_head(material_id: str) -> int | None:
    """The state of a material that was packed last."""
    known = Card.get_or_none(Card.material == material_id)
    return known.packed_head if known else None


def note_packed(material_id: str, head: int) -> None:
    """One state of a material was packed."""
    Card.update(packed_head=head, packed=time.time()).where(Card.material == material_id).execute()


def clean_labels(names: Iterable[str]) -> list[str]:
    """Labels fit to keep: trimmed, none twice, none empty, no commas, which set them apart; as many as are kept."""
    plain = ("".join(c if c != "," else " " for c in name if c.isprintable()) for name in names)
    clean = (" ".join(name.split())[:LONGEST_LABEL].strip() for name in plain)
    return list(dict.fromkeys(name for name in clean if name))[:MOST_LABELS]


def labels_of(material_id: str, kind: LabelKind) -> list[str]:
    rows: Any = Label.select().where((Label.material == material_id) & (Label.kind == kind)).order_by(Label.name)
    return [str(row.name) for row in rows]


def change_labels(materials: Sequence[str], kind: LabelKind, add: Iterable[str], drop: Iterable[str]) -> None:
    """Gives labels to materials, or takes them away."""
    added, dropped = clean_labels(add), clean_labels(drop)
    for id in materials:
        if dropped:
            Label.delete().where((Label.material == id) & (Label.kind == kind) & Label.name.in_(dropped)).execute()
        room = MOST_LABELS - Label.select().where((Label.material == id) & (Label.kind == kind)).count()
        for name in added[: max(room, 0)]:
            Label.insert(material=id, kind=kind, name=name).on_conflict_ignore().execute()
        if kind == "tag":
            Card.update(tags=" · ".join(labels_of(id, "tag"))).where(Card.material == id).execute()


def note(material_id: str, notes: str) -> None:
    Card.update(notes=notes[:LONGEST_NOTES]).where(Card.material == material_id).execute()


def _where(query: LibraryQuery) -> tuple[str, str, list[Any]]:
    """(what goes before the query, its condition, values) of a query, in SQL."""
    words = query.words.split()
    long = [f'"{word.replace(chr(34), chr(34) * 2)}"' for word in words if len(word) >= _TRIGRAM]
    before = ""
    parts: list[str] = []
    values: list[Any] = []
    if long:
        # Found once; the plus keeps the planner from looking up each of them for each material.
        before = "WITH hit(id) AS MATERIALIZED (SELECT rowid FROM words WHERE words MATCH ?) "
        parts.append("+c.id IN hit")
        values.append(" AND ".join(long))
    parts.append("m.archived = ?")
    values.append(query.archived)
    for word in words:
        if len(word) < _TRIGRAM:
            escaped = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
            parts.append("(" + " OR ".join(f"c.{name} LIKE ? ESCAPE '\\'" for name in _SEARCHED) + ")")
            values += [f"%{escaped}%"] * len(_SEARCHED)
    labels = [("tag", name) for name in query.tags] + ([("collection", query.collection)] if query.collection else [])
    for kind, name in labels:
        parts.append("m.id IN (SELECT material_id FROM label WHERE kind = ? AND name = ?)")
        values += [kind, name]
    for condition, value in (
        ("c.kind = ?", query.kind),
        (f"{_STATE} = ?", query.state),
        ("c.width_mm >= ?", query.smallest_mm),
        ("c.width_mm > 0 AND c.width_mm <= ?", query.largest_mm),
    ):
        if value:
            parts.append(condition)
            values.append(value)
    return before, " AND ".join(parts), values


def count(database: SqliteDatabase, query: LibraryQuery) -> int:
    """How many materials there are of what is looked for."""
    before, where, values = _where(query)
    return int(database.execute_sql(f"{before}SELECT count(*) {_FROM} WHERE {where}", values).fetchone()[0])


def ids(database: SqliteDatabase, query: LibraryQuery, order: Order, first: int = 0, most: int = -1) -> list[str]:
    """Materials that are looked for, in order; all of them from the first on, or so many at most."""
    before, where, values = _where(query)
    asked = f"{before}SELECT m.id, {_STATE} AS state {_FROM} WHERE {where} ORDER BY {_ORDERS[order]} LIMIT ? OFFSET ?"
    return [row[0] for row in database.execute_sql(asked, [*values, most, first]).fetchall()]


def find(database: SqliteDatabase, query: LibraryQuery, order: Order, first: int, most: int) -> list[dict[str, Any]]:
    """Cards of what is looked for, from the first on."""
    # Sorted without all that is in them, which is read of these few alone.
    wanted = ids(database, query, order, first, most)
    asked = (
        "SELECT m.id, m.name, m.archived, m.created, m.changed, m.revision, m.thumbnail, m.source, c.kind, "
        f"c.width_mm, {_OPEN} AS to_settle, {_UNTOLD} AS untold, {_STATE} AS state, {_SINCE} AS since {_FROM} "
        f"WHERE m.id IN ({', '.join('?' * len(wanted))})"
    )
    cursor = database.execute_sql(asked, wanted)
    names = [column[0] for column in cursor.description]
    rows = {row[0]: dict(zip(names, row, strict=True)) for row in cursor.fetchall()}
    tags: dict[str, list[str]] = {id: [] for id in wanted}
    labels: Any = Label.select(Label.material, Label.name).where((Label.kind == "tag") & Label.material.in_(wanted))
    for id, name in labels.order_by(Label.name).tuples():
        tags[id].append(name)
    there = [rows[id] for id in wanted if id in rows]
    return [{**row, "archived": bool(row["archived"]), "tags": tags[row["id"]]} for row in there]


def facets(database: SqliteDatabase, archived: bool) -> dict[str, dict[str, int]]:
    """How many materials there are of each state, kind, tag and collection."""
    found: dict[str, dict[str, int]] = {}
    for name, what in (("states", _STATE), ("kinds", "c.kind")):
        asked = f"SELECT {what} AS what, count(*) {_FROM} WHERE m.archived = ? GROUP BY what"
        found[name] = dict(database.execute_sql(asked, [archived]).fetchall())
    asked = (
        "SELECT l.name, count(*) FROM label l JOIN material m ON m.id = l.material_id "
        "WHERE l.kind = ? AND m.archived = ? GROUP BY l.name ORDER BY l.name COLLATE NOCASE"
    )
    for name, kind in (("tags", "tag"), ("collections", "collection")):
        found[name] = dict(database.execute_sql(asked, [kind, archived]).fetchall())
    return found
