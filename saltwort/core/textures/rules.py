"""File rules: which space a path is read in, and why.

The rules are OCIO file rules and go into every exported config. The engine's own lookup takes about 0.4 ms a path, and
for some expressions for ever; this module gives the same answers about a hundred times as fast and says what matched.
Tests hold the two together.
"""

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import count

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.textures.expressions import Expressions, check_expression
from saltwort.core.textures.kinds import (
    DEFAULT_KIND_WORDS,
    MAP_KINDS,
    KindMatch,
    KindWords,
    check_kind_words,
    deciding_regex,
    kind_finder,
)

MAX_RULES = 200
MAX_PATTERN = 4_000
"""Characters. Map kinds with their words, as they come back in a config of ours, have 3,000."""
MAX_PATH = 1_024
"""Characters. The engine's regular expressions recurse for each character of a path; beyond this, stack runs out."""

DEFAULT_NAME: str = ocio.DEFAULT_RULE_NAME
PATH_SEARCH_NAME: str = ocio.FILE_PATH_SEARCH_RULE_NAME
_CONTROL = re.compile(r"[\x00-\x1f]")


@dataclass(frozen=True)
class Rule:
    """One rule. Which fields count depends on `kind`:

    `glob`: `pattern` on the path without its extension, `extension` in any case, `space`.
    `regex`: `pattern` on the whole path, `space`.
    `map_kind`: `map_kinds`, the kinds it takes, `space`.
    `space_in_path`: nothing; the space is the one whose name or alias ends last in the path, in any case.
    """

    name: str
    kind: str
    space: str = ""
    pattern: str = ""
    extension: str = ""
    map_kinds: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reason:
    """Why a file has its space: `kind` is rule, default or pin; `index` counts the config's file rules from 0."""

    kind: str
    index: int | None
    name: str


@dataclass(frozen=True)
class Assignment:
    """The space a file is read in, with its reason."""

    space: str
    reason: Reason


@dataclass(frozen=True)
class RuleTrace:
    """How one rule stands to one path: `space` is what it gives or would give, None where it does not match."""

    index: int
    name: str
    space: str | None
    because: str


def file_rules(rules: Sequence[Rule], default_space: str, words: KindWords = DEFAULT_KIND_WORDS) -> ocio.FileRules:
    """The engine's form of the rules. Raises BadInput, naming the rule, for one that the engine refuses."""
    if len(rules) > MAX_RULES:
        raise BadInput(f"A project holds up to {MAX_RULES} rules; here are {len(rules)}.")
    check_kind_words(words)
    result = ocio.FileRules()
    for index, rule in enumerate(rules):
        try:
            if rule.name in {before.name for before in rules[:index]}:
                raise BadInput(f"Rule {index + 1}: another rule is called “{rule.name}” already.", "name")
            _insert(result, index, rule, words)
        except ocio.Exception as error:
            reason = str(error).removeprefix("File rules: ").rstrip(".")
            raise BadInput(f"Rule {index + 1}, “{rule.name}”: {reason}.", "pattern") from error
    result.setDefaultRuleColorSpace(default_space)
    return result


def rules_of(config: ocio.Config) -> tuple[tuple[Rule, ...], str]:
    """A config's own file rules, as far as they can be used, and the space of its default rule. None, and no space,
    for a config that has nothing but the rules every config is given."""
    rules = config.getFileRules()
    names = [rules.getName(index) for index in range(rules.getNumEntries())]
    if set(names) <= {DEFAULT_NAME, PATH_SEARCH_NAME}:
        return (), ""
    unusable = {name for name, _ in unusable_rules(config)}
    found = tuple(rule for rule in _rules_in(rules) if rule.name not in unusable)
    return found, str(rules.getColorSpace(names.index(DEFAULT_NAME)))


def unusable_rules(config: ocio.Config) -> Iterator[tuple[str, str]]:
    """The names of a config's own rules that cannot be used here, each with the reason in a sentence."""
    for index, rule in enumerate(_rules_in(config.getFileRules())):
        try:
            _check(index, rule)
        except BadInput as error:
            yield rule.name, str(error)


def _rules_in(rules: ocio.FileRules) -> Iterator[Rule]:
    for index in range(rules.getNumEntries()):
        name = rules.getName(index)
        if name == PATH_SEARCH_NAME:
            yield PATH_SEARCH_RULE
        elif name != DEFAULT_NAME:
            yield _rule_at(rules, index)


def _rule_at(rules: ocio.FileRules, index: int) -> Rule:
    name, space = rules.getName(index), rules.getColorSpace(index)
    if regex := rules.getRegex(index):
        return Rule(name, "regex", space, regex)
    rule = Rule(name, "glob", space, rules.getPattern(index), rules.getExtension(index))
    try:
        _check(index, rule)
    except BadInput:  # a glob that only an expression can say
        return Rule(name, "regex", space, rf"{_glob(rule.pattern)}\.{_glob(rule.extension)}")
    return rule


def _insert(result: ocio.FileRules, index: int, rule: Rule, words: KindWords) -> None:
    _check(index, rule)
    if rule.kind == "map_kind" and not any(kind in rule.map_kinds for _, kind in words):
        where = f"Rule {index + 1}, “{rule.name}”"
        raise BadInput(f"{where}: none of its map kinds has a word left. Delete it, or add one.", "map_kinds")
    if rule.kind == "space_in_path":
        result.insertPathSearchRule(index)
    elif rule.kind == "glob":
        result.insertRule(index, rule.name, rule.space, rule.pattern, rule.extension)
    else:
        result.insertRule(index, rule.name, rule.space, _regex_of(rule, words))


def _check(index: int, rule: Rule) -> None:
    """What the engine would take in silence and then read in its own way."""
    where = f"Rule {index + 1}, “{rule.name}”: "
    if rule.kind not in ("glob", "regex", "map_kind", "space_in_path"):
        raise BadInput(f"{where}there is no kind of rule “{rule.kind}”.")
    if not rule.name.strip():
        raise BadInput(f"Rule {index + 1} needs a name.", "name")
    if rule.name in (DEFAULT_NAME, PATH_SEARCH_NAME) and rule.kind != "space_in_path":
        raise BadInput(f"{where}that name belongs to a rule of the config itself; choose another.", "name")
    if len(rule.pattern) > MAX_PATTERN or len(rule.extension) > MAX_PATTERN:
        raise BadInput(f"{where}a pattern has up to {MAX_PATTERN} characters.", "pattern")
    if _CONTROL.search(rule.name + rule.pattern + rule.extension):
        raise BadInput(f"{where}names and patterns hold no line breaks or control characters.")
    if rule.kind == "glob" and re.search(r"[\\^]|\[[^\]]*[^\w\-! \]][^\]]*\]", rule.pattern + rule.extension):
        raise BadInput(f"{where}a name pattern uses *, ?, [abc] and [!abc]; write / between folders.", "pattern")
    if rule.kind == "regex":
        try:
            check_expression(rule.pattern)
        except BadInput as error:
            raise BadInput(f"{where}{error}.", "pattern") from error
    unknown = [kind for kind in rule.map_kinds if kind not in MAP_KINDS]
    if rule.kind == "map_kind" and (unknown or not rule.map_kinds):
        raise BadInput(f"{where}choose at least one map kind from the list.", "map_kinds")


def _regex_of(rule: Rule, words: KindWords) -> str:
    return deciding_regex(rule.map_kinds, words) if rule.kind == "map_kind" else rule.pattern


Answer = tuple[str | None, str]
"""The space that a rule gives to a path, None where it does not match; and on what it matched."""

Matcher = Callable[[str], Answer]


class RuleBook:
    """The rules of one config, ready to be asked for many paths."""

    def __init__(
        self, config: ocio.Config, rules: Sequence[Rule], default_space: str, words: KindWords = DEFAULT_KIND_WORDS
    ) -> None:
        self._words = words
        self._expressions = Expressions(
            [expression_of(rule).encode() for rule in rules if rule.kind in WITH_EXPRESSIONS]
        )
        numbers = count()
        self._matchers = [(rule, self._matcher(rule, config, numbers)) for rule in rules]
        self._with_expression = [index for index, rule in enumerate(rules) if rule.kind in WITH_EXPRESSIONS]
        self._others = [
            (index, match) for index, (rule, match) in enumerate(self._matchers) if rule.kind not in WITH_EXPRESSIONS
        ]
        self._rules = rules
        self._reasons = [Reason("rule", index, rule.name) for index, rule in enumerate(rules)]
        self._default = Assignment(default_space, Reason("default", len(rules), DEFAULT_NAME))

    def assign(self, path: str) -> Assignment:
        """The space in which `path` is read: the first rule that matches, else the default. The file need not exist.

        Raises BadInput for a path that is too long or holds control characters.
        """
        check_path(path)
        matching = self._expressions.matching(path)
        first = self._with_expression[min(matching)] if matching else len(self._rules)
        for index, match in self._others:
            if index > first:
                break
            space, _ = match(path)
            if space:
                return Assignment(space, self._reasons[index])
        return Assignment(self._rules[first].space, self._reasons[first]) if matching else self._default

    def takes(self, path: str) -> bool:
        """Whether any of the rules takes a path that was checked before."""
        return self._expressions.match_any(path) or any(match(path)[0] for _, match in self._others)

    def explain(self, path: str) -> list[RuleTrace]:
        """Every rule in order, with what it gives for `path` and on what it matched; the default comes last."""
        check_path(path)
        traces = [RuleTrace(index, rule.name, *match(path)) for index, (rule, match) in enumerate(self._matchers)]
        default = self._default
        return [*traces, RuleTrace(len(traces), DEFAULT_NAME, default.space, "takes every file that is left")]

    def _matcher(self, rule: Rule, config: ocio.Config, numbers: Iterator[int]) -> Matcher:
        if rule.kind == "space_in_path":
            return _PathSearch(config)
        if rule.kind == "map_kind":
            return partial(_match_kind, rule, kind_finder(self._words))
        shown = f"{rule.pattern}.{rule.extension}" if rule.kind == "glob" else rule.pattern
        yes: Answer = (rule.space, f"matches {shown}")
        no: Answer = (None, f"does not match {shown}")
        return partial(self._match_expression, next(numbers), yes, no)

    def _match_expression(self, number: int, yes: Answer, no: Answer, path: str) -> Answer:
        found = self._expressions.matching(path)
        if self._expressions.is_slow(number):
            return None, "takes too long to match, and is left out: write it without repetition inside repetition"
        return yes if number in found else no


def _match_kind(rule: Rule, kind_of: Callable[[str], KindMatch | None], path: str) -> Answer:
    match = kind_of(path)
    if match is None:
        return None, "no map word in the name"
    return (rule.space if match.kind.key in rule.map_kinds else None), f"“{match.word}” says {match.kind.label}"


_NO_SPACE = "no space or alias stands in the path"


class _PathSearch:
    """The engine's search for a space in a path: the name or alias that ends last, and of these the longest."""

    def __init__(self, config: ocio.Config) -> None:
        spaces: Iterable[ocio.ColorSpace] = config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
        names = {
            _ascii_lower(name): space.getName() for space in spaces for name in (space.getName(), *space.getAliases())
        }
        # A path that holds none of the shortest names holds no name at all, and most paths do not. Each stands with
        # the names that hold it, itself among them.
        shortest = [name for name in names if not any(other in name for other in names if other != name)]
        self._names = {short: [item for item in names.items() if short in item[0]] for short in shortest}
        self._any = re.compile("|".join(map(re.escape, shortest)))

    def __call__(self, path: str) -> Answer:
        lowered = _ascii_lower(path)
        if not self._any.search(lowered):
            return None, _NO_SPACE
        held = [
            (lowered.rfind(name) + len(name), len(name), name, space)
            for short, named in self._names.items()
            if short in lowered
            for name, space in named
            if name in lowered
        ]
        _, _, name, space = max(held)
        return space, f"“{name}” stands in the path"


PATH_SEARCH_RULE = Rule(PATH_SEARCH_NAME, "space_in_path")


def check_path(path: str) -> None:
    """Raise BadInput for a path that no rule can be asked about."""
    if len(path) > MAX_PATH:
        raise BadInput(f"A path has up to {MAX_PATH} characters; here are {len(path)}.")
    if not path.strip() or _CONTROL.search(path):
        raise BadInput("A path needs a name and holds no line breaks or control characters.")
    try:
        path.encode()
    except UnicodeEncodeError:
        raise BadInput("A path must be valid UTF-8.") from None


def _ascii_lower(text: str) -> str:
    """Lower case as the engine makes it: ASCII letters only."""
    return text.encode().lower().decode()


WITH_EXPRESSIONS = ("glob", "regex")


def expression_of(rule: Rule) -> str:
    """The regular expression, of a whole path, that a rule of one of the kinds WITH_EXPRESSIONS stands for.

    OCIO's glob is `pattern` as written, a dot, and `extension`, whose letters match in any case as long as it holds no
    wildcard.
    """
    if rule.kind == "regex":
        return rule.pattern
    if re.search(r"[*?\[]", rule.extension):
        return rf"{_glob(rule.pattern)}\.{_glob(rule.extension)}"
    return rf"{_glob(rule.pattern)}\.{''.join(map(_in_any_case, rule.extension))}"


def _in_any_case(letter: str) -> str:
    both = {letter.lower(), letter.upper()} if letter.isascii() and letter.isalpha() else {letter}
    return "|".join(sorted(map(re.escape, both))).join(("(?:", ")"))


def _glob(glob: str) -> str:
    pieces = []
    for piece in re.findall(r"\[[^\]]*\]|.", glob):
        if piece == "*":
            pieces.append(".*")
        elif piece == "?":
            pieces.append(".")
        elif len(piece) > 1:
            pieces.append(f"[{piece[1:-1].replace('!', '^', 1)}]")
        else:
            pieces.append(re.escape(piece))
    return "".join(pieces)
