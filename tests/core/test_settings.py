"""Settings from their declaration: what is taken, what is refused and in which words, what is told of them."""

import unittest
from typing import Annotated, Literal

from pydantic import TypeAdapter, ValidationError

from amber_thicket.core.settings import (
    Colour,
    FileKey,
    OperationSettings,
    Record,
    are_apart,
    as_plain,
    describe,
    plain_of,
    setting,
    validated,
)
from amber_thicket.errors import BadSetting


class Spot(Record):
    id: str
    name: str = ""
    radius: Annotated[float, "share"] = 0.5


class Example(OperationSettings):
    amount: float = setting(40.0, ge=-10, le=90, step=0.5, unit="%", label="Amount", help="How much.", folded=True)
    count: int = setting(3, ge=1, le=9, label="Count", help="How many.")
    kind: Literal["one", "two"] = setting("one", label="Kind", help="Which.", choices={"two": "The other"})
    on: bool = setting(False, label="On", help="Whether.")
    spots: tuple[Spot, ...] = setting((), label="Spots", help="Where.")


class ValuesTest(unittest.TestCase):
    def test_colours_are_six_digits_behind_a_number_sign(self) -> None:
        colour = TypeAdapter(Colour)
        for value in ("#000000", "#12aBfF"):
            self.assertEqual(colour.validate_python(value), value)
        for value in ("", "#12345", "#1234567", "1234567", "#12345g", "#-12345", "# 12345"):
            with self.subTest(value=value), self.assertRaisesRegex(ValidationError, "written #rrggbb"):
                colour.validate_python(value)

    def test_files_are_named_by_sixteen_digits(self) -> None:
        key = TypeAdapter(FileKey)
        self.assertEqual(key.validate_python("0123456789abcdef"), "0123456789abcdef")
        for value in ("0123456789abcde", "0123456789abcdef0", "0123456789ABCDEF", "0123456789abcdeg"):
            with self.subTest(value=value), self.assertRaises(ValidationError):
                key.validate_python(value)

    def test_two_of_one_name_are_told_apart(self) -> None:
        one, other = Spot(id="a", name="x"), Spot(id="b", name="x")
        are_apart([one, other], "spots")
        with self.assertRaisesRegex(ValueError, "^two spots share an id$"):
            are_apart([one, one], "spots")
        with self.assertRaisesRegex(ValueError, "^two spots share a name$"):
            are_apart([one, other], "spots", by="name")

    def test_equal_values_have_one_digest_however_they_were_given(self) -> None:
        self.assertEqual(Spot(id="a").digest, Spot(id="a", radius=0.5).digest)
        self.assertNotEqual(Spot(id="a").digest, Spot(id="a", radius=0.25).digest)
        self.assertRegex(Spot(id="a").digest, "^[0-9a-f]{32}$")

    def test_as_it_was_given(self) -> None:
        self.assertEqual(as_plain([Spot(id="a"), Spot(id="b", radius=0.5)]), [{"id": "a"}, {"id": "b", "radius": 0.5}])
        example = Example(spots=(Spot(id="a"),), amount=12)
        self.assertEqual(plain_of(example, "spots"), [{"id": "a"}])
        self.assertEqual(plain_of(example, "amount"), 12)
        self.assertIs(plain_of(example, "on"), False)
        self.assertEqual(example.options()["spots"], (Spot(id="a"),))


class DescribedTest(unittest.TestCase):
    def test_everything_a_control_needs(self) -> None:
        rows = {row["name"]: row for row in describe(Example)}
        self.assertEqual(list(rows), ["amount", "count", "kind", "on", "spots"])
        amount = {
            key: rows["amount"][key] for key in ("kind", "integer", "unit", "default", "min", "max", "step", "folded")
        }
        self.assertEqual(
            amount,
            {
                "kind": "number",
                "integer": False,
                "unit": "%",
                "default": 40.0,
                "min": -10,
                "max": 90,
                "step": 0.5,
                "folded": True,
            },
        )
        self.assertTrue(rows["count"]["integer"])
        self.assertFalse(rows["count"]["folded"])
        self.assertEqual(
            rows["kind"]["choices"], [{"value": "one", "label": "one"}, {"value": "two", "label": "The other"}]
        )
        self.assertEqual([rows[name]["kind"] for name in ("kind", "on", "spots")], ["choice", "switch", "structure"])
        self.assertEqual(rows["spots"]["default"], [])
        self.assertEqual(rows["spots"]["schema"]["$defs"]["Spot"]["required"], ["id"])
        self.assertNotIn("schema", rows["amount"])
        self.assertEqual(rows["amount"]["choices"], [])

    def test_refused_in_words(self) -> None:
        for values, message, remedy in (
            ({"amount": 91}, "cannot be 91:", "Allowed: from -10 to 90 %."),
            ({"count": 10}, "cannot be 10:", "Allowed: from 1 to 9."),
            ({"kind": "three"}, "cannot be 'three':", "Allowed: one of one, two."),
            ({"amounts": 1}, "has no setting “amounts”", "It knows: amount, count, kind, on, spots."),
            ({"spots": {"id": "a"}}, "it should be a list", "Give another value."),
            ({"spots": [{"id": "a", "raduis": 1}]}, "spots.0.raduis cannot be 1", "Give another value."),
            ({"amount": float("nan")}, "cannot be nan", "Allowed: from -10 to 90 %."),
            ({"kind": "x" * 200}, "…", "Allowed: one of one, two."),
        ):
            with self.subTest(values=str(values)[:60]), self.assertRaises(BadSetting) as caught:
                validated(Example, values, path="even.example")
            self.assertIn(message, caught.exception.message)
            self.assertEqual(caught.exception.remedy, remedy)
            self.assertLess(len(caught.exception.message), 260)
