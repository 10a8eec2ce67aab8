/**
 * Functions that read nothing but their arguments, in the databases that have them. What is not among these may be added with
 * `queries({ functions })`.
 */
export const AGGREGATES = words(`
  count sum avg min max bool_and bool_or every string_agg group_concat array_agg json_agg jsonb_agg json_arrayagg json_group_array
  json_object_agg jsonb_object_agg json_objectagg json_group_object total stddev stddev_pop stddev_samp variance var_pop var_samp corr
  percentile_cont percentile_disc mode`)

export const WINDOW_FUNCTIONS = words('row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value')

export const FUNCTIONS = words(`
  coalesce nullif ifnull greatest least lower upper length char_length octet_length trim ltrim rtrim substring substr left right
  replace concat concat_ws lpad rpad reverse position instr locate starts_with split_part initcap
  abs sign round floor ceil ceiling trunc truncate mod power pow sqrt exp ln log
  date_trunc date_part extract to_char to_date to_timestamp age make_date date time datetime julianday strftime unixepoch year month day
  quarter week weekday dayofweek dayofyear hour minute second date_format datediff timestampdiff last_day date_add date_sub
  to_json to_jsonb json_build_object jsonb_build_object json_build_array jsonb_build_array json_object json_array json_extract json_value
  json_length json_array_length jsonb_array_length array_length cardinality
  to_tsvector to_tsquery plainto_tsquery phraseto_tsquery websearch_to_tsquery ts_rank ts_rank_cd`)

/** Functions that no value makes fail, whatever its type: if it does not fit, the query fails before any row is read. */
export const NEVER_FAIL = words('coalesce count min max sum avg row_number rank dense_rank percent_rank cume_dist')

function words(text: string): ReadonlySet<string> {
  return new Set(text.trim().split(/\s+/))
}
