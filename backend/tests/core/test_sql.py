"""The lexer, and what is made of its tokens: no literal stays, at whatever place a text is cut off."""

import re
from itertools import pairwise

import pytest
from faena.core.sql.lexer import Kind, pieces_of, tokens_of
from faena.core.sql.names import reindexed, table_changed_by, tables_of
from faena.core.sql.texts import conceal, fingerprint, gist, normalise
from hypothesis import example, given
from hypothesis import strategies as st

SECRET = "Zq7secretZq7"

# Each form in which a value can be written, with the secret in it.
LITERALS = (
    "'{}'", "'a''{}'", "'{}''b'", "E'{}'", r"E'\'{}'", r"e'it\\''{}'", "U&'\\0041{}'", "u&'{}'", "B'{}'", "x'{}'", "N'{}'",
    "$${}$$", "$a$ 'x' {} $b$ $a$", "$_1$\n{}$_1$", "/* {} */ 1", "/* /* {} */ {} */ 1", "-- {}\n 1", "'multi\nline {}'",
    "$$ $a$ {} $a$ $$", "'-- {}'", "'/* {}'", "'$$ {}'", "'\"{}\"'",
)  # fmt: skip
STATEMENTS = (
    "SELECT * FROM booking WHERE note = {}",
    "INSERT INTO customer (name, email) VALUES ({}, {}), ({}, NULL)",
    "CREATE ROLE app LOGIN PASSWORD {}",
    "ALTER USER app WITH ENCRYPTED PASSWORD {} VALID UNTIL {}",
    "CREATE USER MAPPING FOR app SERVER other OPTIONS (user {}, password {})",
    "CREATE SUBSCRIPTION s CONNECTION {} PUBLICATION p",
    "COPY t FROM PROGRAM {}",
    "DO {}",
    "CREATE FUNCTION f() RETURNS text AS {} LANGUAGE plpgsql",
    "SELECT 1; ALTER ROLE app PASSWORD {}; SELECT 2",
    "EXECUTE q({}, 1)",
    'UPDATE "odd ""name" SET a = {} WHERE b IN ({}, {})',
    "SET app.key TO {}",
    "NOTIFY channel, {}",
)
texts = st.builds(
    lambda statement, literals: (
        statement.replace("{}", "\0").replace("\0", "{}").format(*literals, *literals, *literals)
    ),
    st.sampled_from(STATEMENTS),
    st.lists(st.sampled_from(LITERALS).map(lambda one: one.replace("{}", SECRET)), min_size=2, max_size=4),
)


def shows(text: str) -> bool:
    """Whether five letters of the secret in a row stand in it."""
    return any(SECRET[i : i + 5] in text for i in range(len(SECRET) - 4))


@given(texts, st.floats(0, 1))
def test_no_literal_stays_wherever_a_text_is_cut(text: str, share: float) -> None:
    cut = text[: round(share * len(text))]
    for made in (normalise(text), conceal(text), normalise(cut), conceal(cut)):
        assert not shows(made), made


@pytest.mark.parametrize("literal", LITERALS)
@pytest.mark.parametrize("statement", STATEMENTS[:4])
def test_no_literal_stays_at_any_cut_at_all(statement: str, literal: str) -> None:
    text = statement.replace("{}", literal.replace("{}", SECRET))
    for end in range(len(text) + 1):
        assert not shows(normalise(text[:end])), text[:end]
        assert not shows(conceal(text[:end])), text[:end]


@given(texts)
def test_the_secret_does_not_tell_texts_apart(text: str) -> None:
    """What is kept is the same whatever the value was, also of a text that was cut: nothing can be guessed from it."""
    other = text.replace(SECRET, "another9value")
    for end, other_end in ((len(text), len(other)), (text.find(SECRET) + 5, text.find(SECRET) + 5)):
        assert normalise(text[:end]) == normalise(other[:other_end])
        assert fingerprint(text[:end]) == fingerprint(other[:other_end])


@pytest.mark.parametrize(
    "text",
    [
        rf"SELECT 'a\' , {SECRET}, ' '",  # with escapes on, the string goes on to the third quote
        rf"SELECT 'a\' , ' {SECRET}",
        rf"SELECT 'a\'', {SECRET}, '",
        rf"INSERT INTO t VALUES ('it\'s {SECRET}')",
    ],
)
def test_a_quote_behind_a_backslash_is_a_doubt_and_nothing_is_shown(text: str) -> None:
    assert not shows(normalise(text))
    assert re.fullmatch(r"(SELECT|INSERT) … unread_[0-9a-f]{8}", normalise(text))


def test_a_text_that_is_cut_in_a_literal_is_its_keyword_and_a_hash() -> None:
    assert re.fullmatch(r"UPDATE … unread_[0-9a-f]{8}", normalise("UPDATE t SET a = 'unfin"))
    assert conceal("UPDATE t SET a = 'unfin") == normalise("UPDATE t SET a = 'other"), (
        "the same statement, cut elsewhere"
    )
    assert normalise("UPDATE t SET a = 'x") != normalise("UPDATE t SET b = 'x")
    assert normalise("hunter2 'x").startswith("… unread_"), "a first word that begins no statement can be anything"


@given(st.text(alphabet=st.characters(codec=None), max_size=300) | texts)
@example("\ud800 '\0' \"\0\"")
def test_tokens_join_without_gaps_and_what_is_made_of_them_can_be_stored(text: str) -> None:
    found = tokens_of(text)
    edges = [(0, 0), *((t.start, t.end) for t in found.tokens)]
    assert all(before[1] == after[0] < after[1] for before, after in pairwise(edges))
    assert not found.whole or edges[-1][1] == len(text)
    for made in (normalise(text), conceal(text), gist(normalise(text))):
        assert "\0" not in made
        made.encode()
    assert conceal(conceal(text)) == conceal(text)
    assert fingerprint(conceal(text)) == fingerprint(text) or not found.whole or '"' in text


LITERAL = (Kind.STRING, Kind.NUMBER, Kind.PLACE, Kind.NAME, Kind.COMMENT)


@given(texts, st.floats(0, 1))
@example("a.5 .5 e'x' web'y' \"q\"", 1.0)
def test_large_pieces_hold_the_same_literals_as_single_tokens(text: str, share: float) -> None:
    cut = text[: round(share * len(text))]
    fine, large = tokens_of(cut), pieces_of(cut)
    assert fine.whole == large.whole
    assert [t for t in fine.tokens if t.kind in LITERAL] == [t for t in large.tokens if t.kind in LITERAL]


@pytest.mark.parametrize(
    ("running", "stored"),
    [
        ("SELECT * FROM t WHERE a = -1 AND b IN (1, 2,3)", "SELECT * FROM t WHERE a = $1 AND b IN ($2, $3,$4)"),
        ("SELECT a - 1, a -1, -1 FROM t", "SELECT a - $1, a -$2, $3 FROM t"),
        ("select 1.5e-3, 0x1F, 1_000, .5", "select $1, $2, $3, $4"),
        ("SELECT $1, 'x'::date, E'\\'' || $2", "SELECT $1, $3::date, $4 || $2"),
        ("SELECT /* who */ a -- why\nFROM t;", "SELECT  a \nFROM t"),
    ],
)
def test_a_running_statement_and_its_stored_form_are_the_same(running: str, stored: str) -> None:
    assert normalise(running) == normalise(stored)
    assert fingerprint(running) == fingerprint(stored)


def test_concealing_keeps_layout_places_positions_and_sizes() -> None:
    text = "SELECT a::numeric(10,2), $2\n  FROM t\n WHERE b = 'x' AND c > 5\n GROUP BY 1, 2 ORDER BY 1 DESC, 2 LIMIT 10"
    assert conceal(text) == (
        "SELECT a::numeric(10,2), $2\n  FROM t\n WHERE b = $3 AND c > $4\n GROUP BY 1, 2 ORDER BY 1 DESC, 2 LIMIT $5"
    )
    assert conceal("SET app.token = abc123") == "SET app.token = $1"
    assert conceal("ALTER ROLE x SET app.token TO abc, def") == "ALTER ROLE x SET app.token TO $1, $2"
    assert conceal("UPDATE t SET c.f = other") == "UPDATE t SET c.f = other", "a column, and no setting"


@pytest.mark.parametrize(
    ("text", "kinds"),
    [
        ("a$b$c", [Kind.WORD]),
        ("$a$b$a$", [Kind.STRING]),
        ('U&"a" UESCAPE', [Kind.NAME, Kind.SPACE, Kind.WORD]),
        ("web'x'", [Kind.WORD, Kind.STRING]),
        ("1e5 $12", [Kind.NUMBER, Kind.SPACE, Kind.PLACE]),
        ("a--b\n/*c*/", [Kind.WORD, Kind.COMMENT, Kind.SPACE, Kind.COMMENT]),
    ],
)
def test_kinds(text: str, kinds: list[Kind]) -> None:
    assert [t.kind for t in tokens_of(text).tokens] == kinds


@pytest.mark.parametrize(
    ("text", "tables"),
    [
        ("WITH recent (a, b) AS MATERIALIZED (SELECT * FROM x) SELECT * FROM recent, y z, only w", ["w", "x", "y"]),
        ("SELECT extract(year FROM at), trim(both FROM n) FROM t WHERE a IS DISTINCT FROM b", ["t"]),
        ("SELECT * FROM (a JOIN b USING (id)) LEFT JOIN LATERAL (SELECT 1 FROM c) q ON true, generate_series(1, 2)", ["a", "b", "c"]),
        ("DELETE FROM s.t USING u, v WHERE t.id = u.id", ["t", "u", "v"]),
        ("INSERT INTO a (x) SELECT y FROM b ON CONFLICT (x) DO UPDATE SET x = 1", ["a", "b"]),
        ("SELECT * FROM a WHERE id IN (SELECT id FROM b) FOR UPDATE OF a", ["a", "b"]),
        ("UPDATE ONLY \"Odd\" SET a = 1 FROM c", ["Odd", "c"]),
        ("MERGE INTO a USING b ON a.id = b.id WHEN MATCHED THEN UPDATE SET x = 1", ["a", "b"]),
        ("VACUUM (ANALYZE, PARALLEL 2) s.t", ["t"]),
        ("SELECT 'FROM secret' AS x", []),
        ("REINDEX (VERBOSE) TABLE CONCURRENTLY s.t", ["t"]),
        ("REINDEX INDEX t_pkey", []),
        ("CREATE UNIQUE INDEX CONCURRENTLY IF NOT EXISTS i ON ONLY s.t USING btree (a)", ["t"]),
        ("CREATE INDEX ON t (a)", ["t"]),
        ("CLUSTER t USING t_pkey", ["t"]),
        ("REFRESH MATERIALIZED VIEW CONCURRENTLY v", ["v"]),
        ("autovacuum: VACUUM ANALYZE public.t", ["t"]),
        ("COPY (SELECT a.*, repeat($1, $2) FROM a) TO STDOUT", ["a"]),
        ("COPY s.t (x, y) FROM STDIN", ["t"]),
        ("COPY t FROM PROGRAM 'from b'", ["t"]),
    ],
)  # fmt: skip
def test_tables_of_a_statement(text: str, tables: list[str]) -> None:
    assert list(tables_of(text)) == tables


@pytest.mark.parametrize(
    ("text", "target"),
    [
        ("SELECT * FROM a FOR UPDATE SKIP LOCKED", "a"),
        ("INSERT INTO a VALUES (1) ON CONFLICT DO UPDATE SET x = 1", "a"),
        ("REINDEX TABLE CONCURRENTLY gate_scan", "gate_scan"),
        ("REINDEX INDEX some_index", ""),
        ("CREATE UNIQUE INDEX CONCURRENTLY i ON s.t (a)", "s.t"),
        ("LOCK TABLE ONLY a IN SHARE MODE", "a"),
    ],
)
def test_the_table_that_a_statement_changes(text: str, target: str) -> None:
    assert table_changed_by(text) == target


@pytest.mark.parametrize(
    ("text", "index"),
    [
        ("REINDEX INDEX CONCURRENTLY s.t_pkey", "t_pkey"),
        ("reindex (verbose) index t_pkey", "t_pkey"),
        ("REINDEX TABLE t", ""),
        ("CREATE INDEX i ON t (a)", ""),
    ],
)
def test_the_index_of_a_reindex(text: str, index: str) -> None:
    assert reindexed(text) == index
