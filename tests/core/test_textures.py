"""Map kinds and file rules, held against the engine's own lookup."""

import random
from unittest import TestCase

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.textures.kinds import DATA, DEFAULT_KIND_WORDS, MAP_KINDS, deciding_regex, map_kind_of
from saltwort.core.textures.rules import (
    MAX_PATH,
    MAX_RULES,
    PATH_SEARCH_RULE,
    Rule,
    RuleBook,
    file_rules,
)
from tests.samples import LINEAR_REC709, SRGB, base_config, fresh_config

DATA_KINDS = tuple(key for key, kind in MAP_KINDS.items() if kind.group == DATA)


def kind_key(name: str) -> str | None:
    match = map_kind_of(name)
    return match.kind.key if match else None


class MapKinds(TestCase):
    def test_words_in_every_spelling(self) -> None:
        cases = {
            "quay_wall_basecolor.png": "base_colour",
            "quay_wall_base_color.1001.exr": "base_colour",
            "quay_wall_BaseColour.exr": "base_colour",
            "QUAY_WALL_BASE_COLOR_2K.EXR": "base_colour",
            "wallRoughness2k.png": "roughness",
            "WallAOMap.png": "occlusion",
            "lamp-specular_color.tif": "specular_colour",
            "lamp.subsurface.tif": "subsurface",
            "rope_rgh.jpg": "roughness",
            "rope nrm.jpg": "normal",
            "lamp_metal.png": "metalness",
            "plate_id.png": "mask",
            "dusk_sky_4k.hdr": "environment",
            "harbour_backplate.exr": "backplate",
        }
        for name, key in cases.items():
            with self.subTest(name):
                self.assertEqual(kind_key(name), key)

    def test_words_count_only_when_whole(self) -> None:
        for name in ("abnormally.png", "island.png", "metallurgy.png", "video.png", "quay_wall_03.png", "AOS.png"):
            with self.subTest(name):
                self.assertIsNone(map_kind_of(name))
        self.assertEqual(kind_key("abnormal_wall_diffuse.png"), "base_colour")

    def test_the_last_word_decides_and_is_told(self) -> None:
        self.assertEqual(kind_key("lamp_metal_basecolor.exr"), "base_colour")
        self.assertEqual(kind_key("wall_normal_mask.png"), "mask")
        match = map_kind_of("lamp_base_color_rough.png")
        self.assertEqual(match and match.word, "rough")

    def test_folders_do_not_count(self) -> None:
        self.assertIsNone(map_kind_of("normal/roughness/wall_03.png"))
        self.assertIsNone(map_kind_of("normal\\wall_03.png"))

    def test_every_kind_has_a_word_and_every_word_a_kind(self) -> None:
        self.assertEqual({kind for _, kind in DEFAULT_KIND_WORDS}, set(MAP_KINDS))

    def test_a_table_of_ones_own(self) -> None:
        words = (("spek", "specular_colour"), ("grain map", "roughness"))
        self.assertEqual(kind_key("wall_roughness.png"), "roughness")
        self.assertIsNone(map_kind_of("wall_roughness.png", words))
        match = map_kind_of("wallGrainMap.png", words)
        self.assertEqual(match and match.kind.key, "roughness")


class RulesAgainstTheEngine(TestCase):
    """The engine's lookup is the truth: for any rules and paths, ours gives the same space and the same index."""

    def assert_same(self, rules: list[Rule], paths: list[str]) -> None:
        config = fresh_config()
        config.setFileRules(file_rules(rules, SRGB))
        book = RuleBook(config, rules, SRGB)
        for path in paths:
            found = book.assign(path)
            with self.subTest(path):
                self.assertEqual((found.space, found.reason.index), config.getColorSpaceFromFilepath(path))

    def random_paths(self, pool: list[str], count: int, seed: int) -> list[str]:
        chance = random.Random(seed)
        made = ("".join(chance.choice(pool) for _ in range(chance.randint(1, 7))) for _ in range(count))
        return [path for path in made if path.strip()]

    def test_map_kinds_become_expressions_that_decide_alike(self) -> None:
        pool = [
            "normal",
            "Normal",
            "NORMAL",
            "base",
            "Base",
            "BASE",
            "color",
            "Color",
            "COLOR",
            "_",
            "-",
            ".",
            "1",
            "AO",
            "ao",
            "Ao",
            "wall",
            "Wall",
            "X",
            "x",
            "specular",
        ]
        pool += [
            "Specular",
            "rough",
            "sky",
            "é",
            "/",
            "ab",
            "mask",
            "id",
            "metal",
            "nrm",
            "emission",
            "Transmission",
            "spec",
        ]
        for number, kinds in enumerate(
            (DATA_KINDS, ("base_colour",), ("specular_colour", "normal"), ("transmission",))
        ):
            rule = Rule("kinds", "map_kind", "Raw", map_kinds=kinds)
            self.assert_same([rule], self.random_paths(pool, 250, seed=number))

    def test_globs(self) -> None:
        rules = [
            Rule("brackets", "glob", "ACEScc", pattern="[!ab]?[0-9]", extension="ex[rR]"),
            Rule("wild extension", "glob", "ACEScct", pattern="tex/*", extension="t*"),
            Rule("plain", "glob", "ACEScg", pattern="*Wall*", extension="exr"),
            Rule("literal", "glob", "Raw", pattern="a+b(c)|d$", extension="png"),
        ]
        pool = [
            "Wall",
            "wall",
            "a",
            "b",
            "9",
            ".exr",
            ".EXR",
            ".exR",
            ".tif",
            ".TIF",
            "tex/",
            "/",
            "é",
            "a+b(c)|d$.png",
            ".",
        ]
        self.assert_same(rules, self.random_paths(pool, 600, seed=5))

    def test_regular_expressions(self) -> None:
        rules = [
            Rule("version", "regex", "ACEScc", pattern=r".*/v\d{2}_.*"),
            Rule("posix class", "regex", "ACEScct", pattern=r"[[:digit:]]+.*"),
            Rule("look-ahead", "regex", "Raw", pattern=r"(?!.*_)p.*"),
            Rule("dot per byte", "regex", "ACEScg", pattern=r"x..y"),
        ]
        pool = ["/v01_", "/v1_", "12", "a", "p", "x", "y", "é", "xéy", "_", ".png"]
        self.assert_same(rules, [*self.random_paths(pool, 300, seed=6), "xéy", "xay", "pa", "/v12_"])

    def test_spaces_in_the_path(self) -> None:
        pool = ["ACEScg", "acescc", "ACESCCT", "lin_rec709", "lin_rec709_scene", "srgb_tx", "raw", "Linear Rec.2020"]
        pool += ["scene_linear", "_", "/", "x", "é", ".exr"]
        self.assert_same([PATH_SEARCH_RULE], self.random_paths(pool, 600, seed=7))

    def test_the_longest_path_taken_does_not_bring_the_engine_down(self) -> None:
        rules = [
            Rule("kinds", "map_kind", "Raw", map_kinds=DATA_KINDS),
            Rule("any", "regex", "ACEScg", pattern="(.*)+x"),
        ]
        name = "_normal.png"
        for filler in ("a", "a/", "A_"):
            path = (filler * MAX_PATH)[: MAX_PATH - len(name)] + name
            self.assert_same(rules[:1], [path])

    def test_the_expression_stays_small_enough_to_compile_at_each_lookup(self) -> None:
        self.assertLess(len(deciding_regex(DATA_KINDS)), 3_000)


class Explaining(TestCase):
    rules = (
        Rule("Data maps", "map_kind", "Raw", map_kinds=DATA_KINDS),
        PATH_SEARCH_RULE,
        Rule("EXR files", "glob", "ACEScg", pattern="*", extension="exr"),
    )

    def test_every_rule_says_what_it_found(self) -> None:
        traces = RuleBook(base_config(), self.rules, SRGB).explain("maps/wall_roughness_lin_rec709.exr")
        self.assertEqual([trace.space for trace in traces], ["Raw", LINEAR_REC709, "ACEScg", SRGB])
        self.assertIn("“roughness” says roughness", traces[0].because)
        self.assertIn("“lin_rec709” stands in the path", traces[1].because)
        self.assertEqual(traces[2].because, "matches *.exr")
        self.assertIn("every file that is left", traces[3].because)

    def test_what_does_not_match_says_so(self) -> None:
        traces = RuleBook(base_config(), self.rules, SRGB).explain("wall_albedo.png")
        self.assertEqual([trace.space for trace in traces], [None, None, None, SRGB])
        self.assertEqual(traces[0].because, "“albedo” says base colour")
        self.assertEqual(RuleBook(base_config(), self.rules, SRGB).assign("wall_albedo.png").reason.kind, "default")


class BadRules(TestCase):
    def assert_refused(self, words: str, *rules: Rule) -> None:
        with self.subTest(words), self.assertRaisesRegex(BadInput, words):
            file_rules(rules, SRGB)

    def test_each_is_refused_with_its_number_and_name(self) -> None:
        good = Rule("good", "glob", "ACEScg", pattern="*", extension="exr")
        self.assert_refused("Rule 1, “bad”: invalid regular expression", Rule("bad", "regex", "Raw", pattern="(("))
        self.assert_refused("Rule 1, “bad”: “\\(\\?” is not read alike", Rule("bad", "regex", "Raw", pattern="(?<!a)b"))
        self.assert_refused(
            "Rule 2, “bad”: The file name pattern is empty", good, Rule("bad", "glob", "Raw", extension="x")
        )
        self.assert_refused(
            "Rule 1, “bad”: a name pattern uses", Rule("bad", "glob", "Raw", pattern="a\\b", extension="x")
        )
        self.assert_refused("Rule 1 needs a name", Rule(" ", "glob", "Raw", pattern="*", extension="exr"))
        self.assert_refused(
            "belongs to a rule of the config", Rule("Default", "glob", "Raw", pattern="*", extension="x")
        )
        self.assert_refused("at least one map kind", Rule("bad", "map_kind", "Raw"))
        self.assert_refused("at least one map kind", Rule("bad", "map_kind", "Raw", map_kinds=("velvet",)))
        self.assert_refused("no kind of rule", Rule("bad", "magic", "Raw"))
        self.assert_refused("up to 4000 characters", Rule("bad", "regex", "Raw", pattern="a" * 4001))
        self.assert_refused("control characters", Rule("bad", "regex", "Raw", pattern="a\nb"))
        self.assert_refused("Rule 2: another rule is called “good” already", good, good)
        self.assert_refused(f"up to {MAX_RULES} rules", *[good] * (MAX_RULES + 1))

    def test_paths_that_no_rule_can_be_asked_about(self) -> None:
        book = RuleBook(base_config(), [], SRGB)
        for path in ("", "  ", "a\nb.png", "a\0b.png", "x" * (MAX_PATH + 1), "\udcff.png"):
            with self.subTest(repr(path[:8])), self.assertRaises(BadInput):
                book.assign(path)


class MapWords(TestCase):
    """The project's own words, in the explanation and in the written rules alike."""

    def test_own_words_reach_the_engine(self) -> None:
        words = (*DEFAULT_KIND_WORDS, ("patina", "mask"), ("salt stain", "mask"))
        rules = (Rule("masks", "map_kind", "Raw", map_kinds=("mask",)),)
        config = base_config_with(file_rules(rules, SRGB, words))
        book = RuleBook(config, rules, SRGB, words)
        for path, space in (
            ("wall_patina.png", "Raw"),
            ("wallSaltStain.png", "Raw"),
            ("wall_salt_stain.1001.exr", "Raw"),
            ("wall_salt.png", SRGB),
            ("patinated_wall.png", SRGB),
        ):
            with self.subTest(path):
                self.assertEqual(book.assign(path).space, space)
                self.assertEqual(config.getColorSpaceFromFilepath(path)[0], space)

    def test_refusals(self) -> None:
        rule = Rule("masks", "map_kind", "Raw", map_kinds=("mask",))
        for words, said in (
            ((("Rough", "roughness"),), "no map word"),
            ((("a|b", "roughness"),), "no map word"),
            ((("rough", "roughness"), ("rough", "mask")), "stands for roughness already"),
            ((("rough", "velvet"),), "no map kind"),
            (tuple((chr(97 + n % 26) * (n // 26 + 1), "mask") for n in range(301)), "up to 300"),
            ((("rough", "roughness"),), "none of its map kinds has a word left"),
        ):
            with self.subTest(said), self.assertRaisesRegex(BadInput, said):
                file_rules((rule,) if "left" in said else (), SRGB, words)


def base_config_with(rules: ocio.FileRules) -> ocio.Config:
    config = fresh_config()
    config.setFileRules(rules)
    return config
