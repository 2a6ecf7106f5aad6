package form

import "strings"

// commaLanguages are those whose decimal sign is a comma, by Unicode CLDR: languages of
// two letters. A test holds this list and the next against CLDR's data.
const commaLanguages = " af az be bg br bs ca cs cu da de el eo es et eu ff fi fo fr fy gl hr hu hy id in is it ka kk kl km ky lb ln lo lt lu lv mk mo nb nl nn no os pl pt rn ro ru rw se sg sh sk sl sq sr sv tg tk tr tt uk uz vi wo "

// otherRegions are the regions in which a language has the other sign.
var otherRegions = map[string]string{
	"ar": " DZ LB LY MA MR TN ",
	"az": " IQ IR ",
	"de": " CH LI ",
	"en": " 150 AT BE CH DD DE DK FI NL SE SI ZA ",
	"es": " 419 BR BZ CU DO GT HN MX NI PA PE PR PZ SV US ",
	"it": " CH ",
	"kk": " AF CN IR MN ",
	"ky": " CN TR ",
	"ms": " BN ",
	"ps": " AF ",
	"qu": " BO ",
	"sw": " CD ZR ",
	"tg": " PK ",
}

// decimalComma reports whether numbers are typed with a comma in a language: a tag of BCP
// 47 in any case, of which language and region count.
func decimalComma(lang string) bool {
	subtags := strings.Split(lang, "-")
	language := strings.Map(lower, subtags[0])
	comma := len(language) == 2 && strings.Contains(commaLanguages, " "+language+" ")
	for _, subtag := range subtags[1:] {
		if len(subtag) == 1 { // what follows is an extension
			break
		}
		if len(subtag) == 2 || len(subtag) == 3 && subtag[0] >= '0' && subtag[0] <= '9' {
			return comma != strings.Contains(otherRegions[language], " "+strings.Map(upper, subtag)+" ")
		}
	}
	return comma
}

// lower and upper know the letters of ASCII, as a tag has no other ones.
func lower(r rune) rune {
	if r >= 'A' && r <= 'Z' {
		r += 'a' - 'A'
	}
	return r
}

func upper(r rune) rune {
	if r >= 'a' && r <= 'z' {
		r -= 'a' - 'A'
	}
	return r
}
