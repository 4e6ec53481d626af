"""The catalogues of other languages hold every sentence of the sources."""

import ast
import unittest

from tests.words import FOLDER, _texts, catalogue, gaps, page_words, program_words


class WordsTest(unittest.TestCase):
    def test_every_sentence_stands_in_every_catalogue(self) -> None:
        wanted = page_words() | program_words()
        self.assertGreater(len(wanted), 2900)
        files = sorted(FOLDER.glob("*.json"))
        self.assertEqual([path.name for path in files], ["de.json"])
        for path in files:
            said = catalogue(path)
            self.assertEqual(wanted - said.keys(), set(), "./run words brings them in")
            self.assertEqual(said.keys() - wanted, set(), "./run words takes them out")
            self.assertEqual([text for text in said if not said[text]], [])
            self.assertEqual([text for text in said if gaps(text) != gaps(said[text])], [])

    def test_sentences_are_found_with_their_shapes(self) -> None:
        source = '''
"""Not this."""
def told(n, name):
    """Nor this."""
    log.info("nor %s this", name)
    if name == "nor this":
        raise ValueError("nor that")
    return f"{n} {'place' if n == 1 else 'places'} of {name}: look there"
LABEL = setting("", label="depth", help="How deep it is.")
'''
        found = set(_texts(ast.parse(source)))
        self.assertEqual(
            found, {"{0} place of {1}: look there", "{0} places of {1}: look there", "depth", "How deep it is."}
        )


if __name__ == "__main__":
    unittest.main()
