package practice

import (
	"slices"
	"strings"
)

// allowed are the functions of PostgreSQL that a seat may execute although they are not immutable, each group with the
// reason. All others that are not immutable are revoked in every dataset, those of newer servers, which this list does
// not know, too: they may act beyond the query, on the session, the server or its files, or tell of others. A name
// stands for all functions of that name.
//
// Types' input and output functions need no right to be used by casts and literals, and are not listed.
var allowed = []struct{ reason, names string }{
	{"reads its arguments only; what it writes hangs on settings that a seat's role fixes", `
		age anytextcat textanycat array_to_json array_to_string concat concat_ws convert convert_from convert_to
		format length money numeric oidvectortypes
		pg_typeof pg_column_size pg_column_compression pg_collation_for quote_literal quote_nullable generate_series
		in_range overlaps extract
		date date_part date_trunc time timetz timestamp timestamptz timezone make_timestamptz to_char to_date
		to_number to_timestamp
		date_cmp_timestamptz date_eq_timestamptz date_ge_timestamptz date_gt_timestamptz date_le_timestamptz
		date_lt_timestamptz date_ne_timestamptz
		timestamp_cmp_timestamptz timestamp_eq_timestamptz timestamp_ge_timestamptz timestamp_gt_timestamptz
		timestamp_le_timestamptz timestamp_lt_timestamptz timestamp_ne_timestamptz
		timestamptz_cmp_date timestamptz_eq_date timestamptz_ge_date timestamptz_gt_date timestamptz_le_date
		timestamptz_lt_date timestamptz_ne_date
		timestamptz_cmp_timestamp timestamptz_eq_timestamp timestamptz_ge_timestamp timestamptz_gt_timestamp
		timestamptz_le_timestamp timestamptz_lt_timestamp timestamptz_ne_timestamp
		timestamptz_mi_interval timestamptz_pl_interval interval_pl_timestamptz enum_first enum_last enum_range
		json_agg json_build_array json_build_object json_object_agg json_populate_record json_populate_recordset
		json_to_record json_to_recordset
		jsonb_agg jsonb_build_array jsonb_build_object jsonb_object_agg jsonb_populate_record
		jsonb_populate_recordset jsonb_to_record jsonb_to_recordset
		jsonb_path_exists_tz jsonb_path_match_tz jsonb_path_query_array_tz jsonb_path_query_first_tz jsonb_path_query_tz
		row_to_json to_json to_jsonb`},
	{"reads its arguments with the dictionaries that come with the server", `
		get_current_ts_config json_to_tsvector jsonb_to_tsvector phraseto_tsquery plainto_tsquery
		websearch_to_tsquery to_tsquery to_tsvector
		ts_debug ts_headline ts_match_tq ts_match_tt ts_parse ts_token_type`},
	{"gives the time at which the query began or a value of chance, and leaves nothing behind", `
		now transaction_timestamp random gen_random_uuid`},
	{"tells of the seat's own session: its role, its database and their encodings", `
		current_schema current_schemas current_user session_user getpgusername getdatabaseencoding
		pg_client_encoding pg_char_to_encoding pg_encoding_to_char`},
	{"tells what the dataset's own catalogue holds: tables, columns, views, types. Variants and reference answers " +
		"are elsewhere", `
		_pg_index_position col_description obj_description format_type regclass to_regclass to_regcollation
		to_regnamespace to_regoper to_regoperator to_regproc to_regprocedure to_regtype
		pg_get_constraintdef pg_get_expr pg_get_function_arg_default pg_get_function_arguments
		pg_get_function_identity_arguments pg_get_function_result pg_get_function_sqlbody pg_get_functiondef
		pg_get_indexdef pg_get_partition_constraintdef pg_get_partkeydef
		pg_get_ruledef pg_get_serial_sequence pg_get_statisticsobjdef pg_get_statisticsobjdef_columns
		pg_get_statisticsobjdef_expressions pg_get_triggerdef pg_get_viewdef
		pg_index_column_has_property pg_index_has_property pg_indexam_has_property pg_options_to_table
		pg_sequence_parameters
		pg_column_is_updatable pg_relation_is_updatable row_security_active pg_is_other_temp_schema
		pg_collation_is_visible pg_conversion_is_visible pg_function_is_visible pg_opclass_is_visible
		pg_operator_is_visible pg_opfamily_is_visible pg_statistics_obj_is_visible pg_table_is_visible
		pg_ts_config_is_visible pg_ts_dict_is_visible pg_ts_parser_is_visible
		pg_ts_template_is_visible pg_type_is_visible`},
	{"tells who may use what in the dataset; the information schema asks it", `
		has_any_column_privilege has_column_privilege has_foreign_data_wrapper_privilege has_function_privilege
		has_language_privilege has_schema_privilege has_sequence_privilege
		has_server_privilege has_table_privilege has_type_privilege pg_has_role pg_get_userbyid aclexplode`},
	{"is asked by the information schema; answers the same in every dataset (lockdown.go)", `current_database`},
	{
		"lists what every PostgreSQL server of the version has: time zones and keywords",
		`pg_timezone_abbrevs pg_timezone_names pg_get_keywords pg_get_catalog_foreign_keys`,
	},
}

// runsOnly wait, or tell how much time has passed. Learners' seats may execute them, to look at; seats for checking may
// not, since by the time that an answer takes, or would take elsewhere, one could ask about rows that one does not see.
const runsOnly = `pg_sleep pg_sleep_for pg_sleep_until clock_timestamp statement_timestamp timeofday`

// endless are immutable functions that may take minutes without looking whether they are to end, with arguments that
// are quickly written. Nothing that beginners are asked needs them. Others of the kind, such as the operators of arrays
// and of jsonb, do; a session that does not end is killed (ending.go).
const endless = `xml xpath xpath_exists xmlexists xmlvalidate xml_is_well_formed xml_is_well_formed_content
xml_is_well_formed_document xmltext
	normalize is_normalized path_inter path_distance poly_overlap poly_contain poly_contained poly_distance
	dist_polyp dist_ppoly`

// tellsNames are immutable functions that write the names of roles, by number.
const tellsNames = `makeaclitem acldefault aclinsert aclremove aclcontains aclitemeq`

// readersNeed are functions by which what a build holds is read; a reader may do no more with them.
const readersNeed = `pg_total_relation_size pg_table_size pg_relation_size pg_partition_tree`

// Of the functions that extensions bring, a seat may not execute the volatile ones, but for these, which only make a
// value ...
var allowedOfExtensions = []string{
	"uuid_generate_v1", "uuid_generate_v1mc", "uuid_generate_v4", "gen_random_uuid", "gen_salt", "gen_random_bytes",
	"normal_rand", "show_limit",
}

// ... and none that runs SQL given as text. What a setup script's own functions do is the instructor's to answer for,
// and they run in a read-only transaction.
var runText = []string{"crosstab", "crosstab2", "crosstab3", "crosstab4", "connectby", "xpath_table"}

// allowedNames are the names of the functions allowed.
func allowedNames() []string {
	var names []string
	for _, group := range allowed {
		names = append(names, strings.Fields(group.names)...)
	}
	slices.Sort(names)
	return names
}

// hidden are relations of the catalogue that tell of the whole server, and so of other datasets, variants and roles; a
// seat may not read them.
var hidden = []string{
	"pg_database",
	"pg_roles",
	"pg_user",
	"pg_group",
	"pg_auth_members",
	"pg_db_role_setting",
	"pg_tablespace",
	"pg_shdepend",
	"pg_shdescription",
	"pg_shseclabel",
	"pg_settings",
	"pg_locks",
	"pg_prepared_xacts",
	"pg_replication_origin",
	"pg_replication_slots",
	"pg_parameter_acl",
	"pg_available_extensions",
	"pg_available_extension_versions",
	"pg_seclabels",
	"pg_publication_tables",
	"pg_stats",
	"pg_stats_ext",
	"pg_stats_ext_exprs",
}
