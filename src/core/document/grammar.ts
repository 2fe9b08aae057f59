const EBNF = `A condition in CQL2 (OGC 21-065r2). With \`filter-lang=cql2-json\` the same as JSON.

\`\`\`ebnf
condition  = term, { ( "AND" | "OR" ), term } ;
term       = [ "NOT" ], ( "(", condition, ")" | comparison | array | time ) ;
comparison = value, ( "=" | "<>" | "<" | "<=" | ">" | ">=" ), value
           | value, [ "NOT" ], "LIKE", text
           | value, [ "NOT" ], "BETWEEN", value, "AND", value
           | value, [ "NOT" ], "IN", "(", value, { ",", value }, ")"
           | value, "IS", [ "NOT" ], "NULL" | value ;
array      = ( "A_CONTAINS" | "A_CONTAINEDBY" | "A_OVERLAPS" | "A_EQUALS" ), "(", values, ",", values, ")" ;
time       = ( "T_AFTER" | "T_BEFORE" | "T_EQUALS" | "T_DURING" ), "(", value, ",", value, ")" ;
value      = factor, { ( "+" | "-" | "*" | "/" | "%" | "DIV" | "^" ), factor } ;
factor     = path | text | number | "TRUE" | "FALSE" | call | some | "(", value, ")" ;
path       = name, { ".", name } ;
some       = ( "count" | "exists" | "sum" | "min" | "max" | "avg" ), "(", path, [ ",", condition ], ")" ;
call       = ( "CASEI" | "ACCENTI" | "DATE" | "TIMESTAMP" | "INTERVAL" | function ), "(", [ values ], ")" ;
function   = "me" | "has_role" | "verified" | "now" | "today" | "lower" | "upper" | "length" | "coalesce"
           | "add" | "days_between" | "seconds_between" | "year" | "month" | "weekday" | "number" | "text" ;
values     = value, { ",", value } | "(", value, { ",", value }, ")" ;
text       = "'", { character | "''" }, "'" ;
\`\`\`

`;

/** The grammar of conditions, for readers of a document: the part of CQL2 that is supported. */
export const GRAMMAR =
  `${EBNF}In \`LIKE\`, \`%\` is any text and \`_\` one character, \`\\\` takes the next one as it is. ` +
  'Dots go along relations to one record, and into objects and JSON. `some` is over related records, or over those ' +
  'for which its condition is true; in it, names that begin with the path are of each of them. `add` takes an ISO ' +
  "8601 duration, as in `add(day, 'P14D')`. 400 terms and 40 levels at most.";
