"""Functions that a statement may call when a watched server is asked for its plan: an allow list, by name.

Planning evaluates what it can, so a function in a statement can run although nobody asks to run it. Allowed are functions
built into the server that read no table, no file, no other statement and no setting but time zone and language, change
nothing, and make nothing much larger than what they are given. The server is asked as well whether each of them is its
own and not volatile (sources/postgres/explain.py), so that this list is trusted only as far as the server agrees.
"""

AGGREGATES = frozenset(
    [
        "count",
        "sum",
        "avg",
        "min",
        "max",
        "array_agg",
        "string_agg",
        "bool_and",
        "bool_or",
        "every",
        "bit_and",
        "bit_or",
        "json_agg",
        "jsonb_agg",
        "json_object_agg",
        "jsonb_object_agg",
        "stddev",
        "stddev_pop",
        "stddev_samp",
        "variance",
        "var_pop",
        "var_samp",
        "corr",
        "covar_pop",
        "covar_samp",
        "regr_slope",
        "regr_intercept",
        "regr_r2",
        "regr_count",
        "percentile_cont",
        "percentile_disc",
        "mode",
    ]
)
WINDOWS = frozenset(
    [
        "row_number",
        "rank",
        "dense_rank",
        "percent_rank",
        "cume_dist",
        "ntile",
        "lag",
        "lead",
        "first_value",
        "last_value",
        "nth_value",
    ]
)
# Of texts, numbers, time, arrays and ranges, JSON, and of search and networks, a line or two each.
VALUES = frozenset(
    "lower upper initcap length char_length character_length octet_length bit_length substr left right btrim ltrim rtrim "
    "replace strpos split_part translate reverse ascii chr md5 starts_with concat concat_ws to_hex encode decode quote_ident "
    "quote_literal regexp_replace regexp_match regexp_like regexp_count regexp_substr regexp_instr "
    "abs ceil ceiling floor round trunc mod power sqrt cbrt exp ln log sign div width_bucket degrees radians sin cos tan asin "
    "acos atan atan2 pi gcd lcm "
    "now transaction_timestamp statement_timestamp date_trunc date_part age to_char to_date to_timestamp make_date make_time "
    "make_timestamp make_interval justify_days justify_hours justify_interval isfinite timezone date_bin "
    "array_length array_position array_positions cardinality array_lower array_upper array_ndims array_dims array_append "
    "array_prepend array_cat array_remove array_replace array_to_string string_to_array isempty lower_inc upper_inc lower_inf "
    "upper_inf range_merge int4range int8range numrange tsrange tstzrange daterange "
    "json_build_object jsonb_build_object json_build_array jsonb_build_array to_json to_jsonb row_to_json json_typeof "
    "jsonb_typeof json_array_length jsonb_array_length json_extract_path json_extract_path_text jsonb_extract_path "
    "jsonb_extract_path_text jsonb_path_exists jsonb_path_match jsonb_path_query_first jsonb_set jsonb_insert jsonb_strip_nulls "
    "jsonb_pretty "
    "to_tsvector to_tsquery plainto_tsquery phraseto_tsquery websearch_to_tsquery ts_rank ts_rank_cd setweight host masklen "
    "network family num_nulls num_nonnulls int4 int8 float8 text".split()
)  # fmt: skip
SETS = frozenset(
    [
        "unnest",
        "jsonb_array_elements",
        "jsonb_array_elements_text",
        "json_array_elements",
        "json_array_elements_text",
        "jsonb_each",
        "jsonb_each_text",
        "json_each",
        "json_each_text",
        "jsonb_object_keys",
        "json_object_keys",
        "regexp_split_to_table",
        "string_to_table",
    ]
)
ESTIMATED_ONLY = frozenset(("generate_series",))  # run, it fills a disk as fast as it can

FUNCTIONS = AGGREGATES | WINDOWS | VALUES | SETS | ESTIMATED_ONLY
# What stands before a bracket and is no function: grammar, types with a size, and what the grammar makes of functions.
SYNTAX = frozenset(
    ["in", "exists", "any", "all", "some", "values", "and", "or", "not", "on", "using", "as", "over", "filter", "within", "group", "by", "when", "then", "else", "select", "where", "from", "join", "lateral", "materialized", "union", "except", "intersect", "distinct", "limit", "offset", "between", "like", "ilike", "similar", "is", "set", "row", "array", "interval", "cast", "extract", "substring", "trim", "position", "overlay", "coalesce", "nullif", "greatest", "least", "grouping", "sets", "rollup", "cube", "having", "returning", "with", "only", "fetch", "first", "next", "rows", "range", "groups", "tablesample", "system", "bernoulli", "repeatable", "do", "conflict", "end", "case", "nothing", "matched", "current_timestamp", "current_time", "localtime", "localtimestamp", "numeric", "decimal", "varchar", "char", "character", "varying", "bit", "timestamp", "timestamptz", "time", "timetz", "to", "collate", "both", "leading", "trailing", "for", "partition", "order", "window", "recursive"]
)  # fmt: skip
