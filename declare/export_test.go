package declare

// FromType is FromStruct of a type that is made at run time.
var FromType = fromType
