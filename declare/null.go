package declare

import (
	"slices"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// orNull is the other branch of a schema that is one of two, of which one is null. It is nil for any other schema.
func orNull(schema *jsonschema.Schema) *jsonschema.Schema {
	branches := schema.AnyOf
	if len(branches) == 0 {
		branches = schema.OneOf
	}
	if len(branches) != 2 {
		return nil
	}
	for k, branch := range branches {
		if isNull(branch) {
			return branches[1-k]
		}
	}
	return nil
}

// branches are the oneOf and the anyOf of a schema; both are empty where it is one of another schema and null.
func branches(schema *jsonschema.Schema) (oneOf, anyOf []*jsonschema.Schema) {
	if orNull(schema) != nil {
		return nil, nil
	}
	return schema.OneOf, schema.AnyOf
}

// isNull reports whether a schema takes null and nothing else.
func isNull(schema *jsonschema.Schema) bool {
	return schema.Types != nil && slices.Equal(schema.Types.ToStrings(), []string{"null"}) || schema.Const != nil && *schema.Const == nil
}

// isNullable reports whether null is among what a place can hold.
func isNullable(parts []*jsonschema.Schema) bool {
	return slices.ContainsFunc(parts, func(part *jsonschema.Schema) bool {
		return orNull(part) != nil || slices.ContainsFunc(part.AnyOf, isNull) || part.Types != nil && slices.Contains(part.Types.ToStrings(), "null") || part.Enum != nil && slices.Contains(part.Enum.Values, nil)
	})
}
