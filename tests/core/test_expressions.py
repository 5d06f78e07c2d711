"""Expressions of strangers: the engine's answers, in bounded time."""

import os
import random
from unittest import TestCase

import PyOpenColorIO as ocio

from saltwort.core.engine import load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import first_setup
from saltwort.core.textures.expressions import MAX_REPEATS, Expressions, check_expression
from saltwort.core.textures.rules import Rule, RuleBook, file_rules, rules_of
from tests.samples import SRGB, base_config, fresh_config

SEED = int(os.environ.get("SALTWORT_SEED", "13"))
ATOMS = (
    *("a", "b", "x", ".", r"\d", r"\w", r"\s", r"\W", "[ab]", "[^a]", "[[:digit:]]", "[[:alpha:]_]", r"\.", r"\/"),
    *("é", "_", "1", "[é]", "[a-z]", r"\b", "^", "$", "(a|b)", "(?:x|1)", "(?=a)", "(?!b)", r"(a)\1", r"\-", r"[\d_]"),
    *(r"[\]]", "{", "}", "-", "[a-]", r"\$", "(", ")", "|", r"[a\-b]", r"[^\w]"),
)
REPEATS = ("", "", "", "", "*", "+", "?", "{2}", "{1,2}", "*?", "+?", "{2,}")
PIECES = ("a", "b", "x", "1", "_", "é", ".", "/", "-", " ", "$", "{", "]", "aa")
HOSTILE = ("(a+)+b", "(a|a)*b", "(a*)*b", "(.*)*x", "([a-z]+)*_1", "(a|aa)+b", ".*.*.*.*.*.*.*.*x", r"(a+)+\1b")


class Dialect(TestCase):
    def test_the_engine_gives_the_same_answers(self) -> None:
        print(f"expressions against the engine, seed {SEED}")
        chance = random.Random(SEED)
        asked = 0
        for _ in range(2_000):
            pattern = "".join(chance.choice(ATOMS) + chance.choice(REPEATS) for _ in range(chance.randint(1, 5)))
            rules = ocio.FileRules()
            try:
                check_expression(pattern)
                rules.insertRule(0, "asked", "raw", pattern)
            except (BadInput, ocio.Exception):
                continue
            rules.setDefaultRuleColorSpace("raw")
            config = ocio.Config.CreateRaw()
            config.setFileRules(rules)
            expressions = Expressions([pattern.encode()])
            for _ in range(10):
                path = "".join(chance.choice(PIECES) for _ in range(chance.randint(1, 6)))
                if path.strip():
                    asked += 1
                    taken = config.getColorSpaceFromFilepath(path)[1] == 0
                    self.assertEqual(bool(expressions.matching(path)), taken, (pattern, path))
        self.assertGreater(asked, 3_000)

    def test_many_are_asked_at_once_and_told_apart(self) -> None:
        patterns = [f".*_{number}(?!x)" if number % 3 else f".*_{number}" for number in range(200)]
        expressions = Expressions([pattern.encode() for pattern in patterns])
        for number in (0, 1, 7, 99, 199):
            self.assertEqual(expressions.matching(f"wall_{number}"), {number})
        self.assertEqual(expressions.matching("wall"), set())

    def test_what_applications_read_in_different_ways_is_refused(self) -> None:
        for pattern in (
            r"\pa",
            r"\u0061",
            r"\x61",
            r"\cA",
            "[[=a=]]",
            "[[.a.]]",
            "[]",
            "[^]",
            "a++",
            "(?<!a)b",
            "(?i)a",
        ):
            with self.subTest(pattern), self.assertRaisesRegex(BadInput, "not read alike by all"):
                check_expression(pattern)
        with self.assertRaisesRegex(BadInput, f"{MAX_REPEATS:,} is the most"):
            check_expression("((a{100}){100}){100}")
        with self.assertRaisesRegex(BadInput, "invalid regular expression"):
            check_expression("((")


class Hostile(TestCase):
    """Expressions that keep a matcher busy for ever, which tries every way to fit."""

    path = "a" * 25 + "_" + "a" * 900

    def test_each_is_answered(self) -> None:
        for pattern in HOSTILE:
            with self.subTest(pattern):
                check_expression(pattern)
                self.assertEqual(Expressions([pattern.encode()]).matching(self.path), set())

    def test_one_that_is_stopped_says_so_and_the_others_go_on(self) -> None:
        rules = (
            Rule("slow", "regex", "Raw", pattern="(a|aa)+(?!c)b"),
            Rule("next", "glob", "ACEScg", pattern="*", extension="exr"),
        )
        book = RuleBook(base_config(), rules, SRGB)
        self.assertEqual(book.assign(f"{'a' * 40}.exr").space, "ACEScg")
        self.assertIn("takes too long to match", book.explain("a.exr")[0].because)

    def test_a_glob_of_many_stars(self) -> None:
        book = RuleBook(base_config(), (Rule("stars", "glob", "Raw", pattern="*a" * 100 + "b", extension="exr"),), SRGB)
        self.assertEqual(book.assign(f"{self.path}.exr").space, SRGB)


class Imported(TestCase):
    """Rules that come with a config."""

    def config(self) -> ocio.Config:
        config = fresh_config()
        rules = ocio.FileRules()
        rules.insertRule(0, "odd", "Raw", r"\u0061.*")
        rules.insertRule(1, "hostile", "Raw", "(a+)+b")
        rules.insertRule(2, "ahead", "Raw", "(?!.*_lin).*_raw.*")
        rules.setDefaultRuleColorSpace(SRGB)
        config.setFileRules(rules)
        return config

    def test_what_cannot_be_used_is_left_out(self) -> None:
        config = load_config(self.config().serialize())
        self.assertEqual([rule.name for rule in rules_of(config)[0]], ["hostile", "ahead"])

    def test_our_own_rules_come_back(self) -> None:
        own = file_rules(first_setup("builtin:x", fresh_config()).rules, SRGB)
        config = fresh_config()
        config.setFileRules(own)
        rules, _ = rules_of(config)
        book = RuleBook(config, rules, SRGB)
        self.assertEqual(book.assign("wall_normal.png").space, "Raw")
        self.assertNotEqual(book.assign("wall_base_color.png").space, "Raw")
