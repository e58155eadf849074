"""The functions that a builder's SQL may call: names as the server itself would read them, from a list, or what the server
vouches for. Everything else may wait, lock, reach files or other servers, or change what the next one meets.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from functools import lru_cache

from sqlalchemy import text
from sqlalchemy.engine import Connection
from sqlglot.dialects.dialect import Dialect
from sqlglot.tokens import Token, Tokenizer, TokenType

from ..model.connection import ConnectionSpec
from ..problem import Problem
from .engine import reading

# What does more than compute, whoever else may vouch for it.
DANGEROUS = re.compile(
    r"(pg_(terminate|cancel|reload|read|ls|stat_file|rotate|switch|promote|advisory|try_advisory|sleep|notify|logical|"
    r"create|drop|replication|backup|start|stop|wal|current_logfile|export|import|file|log|signal|stat_reset|prewarm|"
    r"logdir|hba)\w*|lo_\w+|lowrite|loread|dblink\w*|nextval|setval|currval|lastval|txid_\w+|pg_current_xact\w*|"
    r"load_file|load_extension|sleep|benchmark|get_lock|release_lock|release_all_locks|is_free_lock|is_used_lock|"
    r"master_\w*wait|wait_\w+|query_to_xml\w*|table_to_xml\w*|cursor_to_xml\w*|database_to_xml\w*|schema_to_xml\w*|"
    r"ts_stat|ts_rewrite|set_config|writefile|readfile|edit|fsdir|fts3_tokenizer|sys_\w+|do_\w*exec\w*|shell\w*|"
    r"last_insert_id|uuid_short|xmltable|zipfile|sqlar_\w+)",
    re.IGNORECASE,
)
# The functions of the standard and those that are common practice on the servers: they compute from what they are given.
SAFE = frozenset(
    """
    abs acos acosh asin asinh atan atan2 atanh cbrt ceil ceiling cos cosh cot degrees div exp floor gcd lcm ln log
    log10 log2 mod pi pow power radians round scale sign sin sinh sqrt tan tanh trunc truncate width_bucket conv
    crc32 greatest least random rand max min sum avg count total group_concat string_agg array_agg bit_and bit_or
    bit_xor bool_and bool_or every any_value median mode percentile_cont percentile_disc std stddev stddev_pop
    stddev_samp var_pop var_samp variance corr covar_pop covar_samp regr_avgx regr_avgy regr_count regr_intercept
    regr_r2 regr_slope regr_sxx regr_sxy regr_syy row_number rank dense_rank percent_rank cume_dist ntile lag lead
    first_value last_value nth_value coalesce nullif ifnull nvl if iif isnull greatest least decode interval ascii
    bin bit_length btrim char char_length character_length chr concat concat_ws elt export_set field find_in_set
    format format_number hex initcap insert instr lcase left length locate lower lpad ltrim make_set mid normalize
    oct octet_length ord overlay position printf quote quote_ident quote_literal quote_nullable repeat replace
    reverse right rpad rtrim soundex space split_part starts_with ends_with strcmp strpos string_to_array
    string_to_table substr substring substring_index to_ascii to_hex translate trim ucase unhex unicode unistr
    upper like glob similarity regexp_count regexp_instr regexp_like regexp_match regexp_matches regexp_replace
    regexp_split_to_array regexp_split_to_table regexp_substr enlace_fold md5 sha sha1 sha2 sha224 sha256 sha384
    sha512 encode to_base64 from_base64 crypt_free adddate addtime age clock_timestamp convert_tz curdate
    current_date current_time current_timestamp curtime date date_add date_bin date_diff date_format date_part
    date_sub date_trunc datediff datetime day dayname dayofmonth dayofweek dayofyear extract from_days
    from_unixtime hour isfinite julianday justify_days justify_hours justify_interval last_day localtime
    localtimestamp make_date make_interval make_time make_timestamp make_timestamptz makedate maketime microsecond
    minute month monthname now period_add period_diff quarter sec_to_time second statement_timestamp str_to_date
    strftime subdate subtime sysdate time time_format time_to_sec timediff timestamp timestampadd timestampdiff
    timezone to_char to_date to_days to_number to_seconds to_timestamp transaction_timestamp unix_timestamp
    unixepoch utc_date utc_time utc_timestamp week weekday weekofyear year yearweek json json_array
    json_array_length json_arrayagg json_build_array json_build_object json_contains json_contains_path json_each
    json_each_text json_exists json_extract json_extract_path json_extract_path_text json_group_array
    json_group_object json_insert json_keys json_length json_merge json_merge_patch json_object json_objectagg
    json_object_keys json_patch json_pretty json_query json_quote json_remove json_replace json_search json_set
    json_table json_tree json_type json_typeof json_unquote json_valid json_value json_agg json_object_agg
    json_to_record json_to_recordset json_populate_record json_strip_nulls json_array_elements
    json_array_elements_text row_to_json array_to_json to_json jsonb jsonb_agg jsonb_array_elements
    jsonb_array_elements_text jsonb_array_length jsonb_build_array jsonb_build_object jsonb_each jsonb_each_text
    jsonb_extract_path jsonb_extract_path_text jsonb_insert jsonb_object jsonb_object_agg jsonb_object_keys
    jsonb_path_exists jsonb_path_match jsonb_path_query jsonb_pretty jsonb_set jsonb_strip_nulls jsonb_to_record
    jsonb_typeof to_jsonb array_append array_cat array_length array_lower array_ndims array_position
    array_positions array_prepend array_remove array_replace array_to_string array_upper cardinality
    generate_series generate_subscripts unnest array cast convert try_cast typeof pg_typeof zeroblob randomblob
    isempty lower_inc upper_inc range_merge int4range int8range numrange daterange tsrange tstzrange host hostmask
    masklen netmask network inet_aton inet_ntoa inet6_aton inet6_ntoa uuid gen_random_uuid uuid_generate_v4
    likelihood likely unlikely changes last_insert_rowid total_changes values default row exists in any all some
    not and or over filter as on using from where select group by having with within union except intersect when
    then else end between is rollup cube sets grouping lateral table partition order varchar varbinary nvarchar
    character numeric decimal dec number float double real integer int bigint smallint bit time_stamp binary blob
    text bytea set tinyint mediumint st_area st_asgeojson st_astext st_contains st_distance st_geomfromtext
    st_intersects st_length st_point st_within st_x st_y match against bm25 highlight snippet to_tsquery
    to_tsvector plainto_tsquery phraseto_tsquery websearch_to_tsquery ts_rank ts_rank_cd ts_headline
    """.split()  # noqa: SIM905 - a name a line would be five hundred lines
)
_NAMES = (TokenType.VAR, TokenType.IDENTIFIER)


@lru_cache(maxsize=8)
def _tokenizer(dialect: str) -> type[Tokenizer]:
    return type("Whole", (Dialect.get_or_raise(dialect).tokenizer_class,), {"COMMANDS": set()})


def tokens_of(sql: str, dialect: str) -> list[Token]:
    """The tokens of a text. A CALL is taken apart as any statement: sqlglot would make one text of it, up to a semicolon."""
    return list(_tokenizer(dialect)(dialect=dialect).tokenize(sql))


def called(sql: str, dialect: str) -> set[str]:
    """The names that a text calls, small: whatever stands before a bracket and is not the name of a table's columns."""
    tokens = tokens_of(sql, dialect)
    names = set()
    for i, token in enumerate(tokens[:-1]):
        if tokens[i + 1].token_type != TokenType.L_PAREN or not re.match(r"[^\W\d]", token.text or " "):
            continue
        before = tokens[i - 1].token_type if i else None
        if before in (TokenType.INTO, TokenType.ALIAS, TokenType.R_PAREN) or _names_columns(tokens, i):
            continue
        names.add(token.text.lower())
    return names


def _names_columns(tokens: list[Token], i: int) -> bool:
    """Whether the brackets after a name hold the columns of a common table expression: `name (a, b) AS (SELECT …)`."""
    before = tokens[i - 1].token_type if i else None
    if before not in (TokenType.WITH, TokenType.RECURSIVE, TokenType.COMMA) or tokens[i].token_type not in _NAMES:
        return False
    depth = 0
    for j in range(i + 1, len(tokens)):
        depth += {TokenType.L_PAREN: 1, TokenType.R_PAREN: -1}.get(tokens[j].token_type, 0)
        if depth == 0:
            after = [token.token_type for token in tokens[j + 1 : j + 3]]
            return (after[:1] == [TokenType.ALIAS] and after[1:2] != [] and before != TokenType.COMMA) or (
                after == [TokenType.ALIAS, TokenType.L_PAREN]
            )
    return False


def refuse_tricks(sql: str, server: str) -> None:
    """Refuse what one reader of the text takes for something else than another. Raises Problem."""
    if server == "postgresql" and re.search(r"u&\s*[\"']", sql, re.I):
        raise Problem("Names and texts written with U& can't be used here.", "Write them as they are.", code="bad")
    if server == "mariadb" and re.search(r"/\*\s*M?!", sql, re.I):
        what = "Comments that the server takes for statements (/*! … */) can't be used here."
        raise Problem(what, "Leave them out.", code="bad")
    if "\0" in sql:
        raise Problem("The text contains a NUL character.", "Remove it.", code="bad")


def check_calls(
    sql: str, server: str, dialect: str, spec: ConnectionSpec | None, writing: bool = False, procedures: bool = False
) -> None:
    """Raises Problem for a trick, and for a function that is dangerous or that nobody vouches for. dialect: sqlglot's;
    spec: where functions that are not known here are looked up; writing, procedures: as `vouched_for` has them."""
    refuse_tricks(sql, server)
    vouched: set[str] = set()
    if spec is not None and (names := called(sql, dialect) - SAFE):
        with reading(spec) as connection:
            vouched = vouched_for(connection, names, writing, procedures)
    hint = "Use a function of the SQL standard, or one of the database's own that it calls immutable or stable."
    _check_functions(sql, dialect, vouched, "Use what the page of the connection lists." if writing else hint)


def refuse_dangerous(sql: str, dialect: str) -> None:
    """Raises Problem for a function that does more than compute, whoever vouches for it."""
    for name in sorted(called(sql, dialect)):
        if DANGEROUS.fullmatch(name):
            raise Problem(f"{name} does more than compute.", "Leave it out.", code="bad")


def _check_functions(sql: str, dialect: str, vouched: Collection[str], hint: str) -> None:
    refuse_dangerous(sql, dialect)
    for name in sorted(called(sql, dialect)):
        if name not in SAFE and name not in vouched:
            raise Problem(f"It is not known what {name} does.", hint, code="bad")


def vouched_for(
    connection: Connection, names: Collection[str], writing: bool = False, procedures: bool = False
) -> set[str]:
    """Of some names, those of functions that the server calls immutable or stable; writing: also those that somebody
    made for this database, procedures too, which may write what its tables allow; procedures: also those of procedures
    that are not said to write."""
    kind, wanted = connection.dialect.name, sorted(n for n in names if n not in SAFE and not DANGEROUS.fullmatch(n))
    if not wanted or kind not in ("postgresql", "mysql", "mariadb"):
        return set()
    if kind == "postgresql":
        rows = connection.execute(
            text(
                "SELECT lower(p.proname), bool_and(p.provolatile <> 'v'), bool_and(n.nspname <> 'pg_catalog') "
                "FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace "
                "WHERE lower(p.proname) = ANY(string_to_array(:names, ',')) GROUP BY 1"
            ),
            {"names": ",".join(wanted)},
        )
        return {name for name, steady, own in rows if steady or (writing and own)}
    rows = connection.execute(
        text(
            "SELECT lower(routine_name), sql_data_access <> 'MODIFIES SQL DATA' FROM information_schema.routines "
            "WHERE routine_schema = database() AND find_in_set(routine_type, :types) "
            "AND find_in_set(lower(routine_name), :names)"
        ),
        {"names": ",".join(wanted), "types": "FUNCTION,PROCEDURE" if writing or procedures else "FUNCTION"},
    )
    return {name for name, steady in rows if steady or writing}
