package resource

// Odd but right forms of each type of text, and near misses.
var (
	edgesOfFormat = map[string][]limited{
		"date": {{says: "29 February of a leap year", text: `"2028-02-29"`, like: `"2028-02-28"`}, {says: "the last day of a year", text: `"2027-12-31"`, like: `"2027-12-30"`}},
		"datetime": {{says: "29 February of a leap year", text: `"2028-02-29T23:59:59Z"`, reads: asInstant, like: `"2028-02-28T10:00:00Z"`}, {says: "a time with an offset", text: `"2027-03-01T01:30:00+05:30"`, reads: asInstant, like: `"2027-02-28T20:00:00Z"`},
			{says: "a time with a fraction of a second", text: `"2027-03-01T01:30:00.5Z"`, reads: unread, usual: true, like: `"2027-03-01T01:30:00Z"`}},
		"time":  {{says: "the last second of a day", text: `"23:59:59Z"`, reads: unread}},
		"email": {{says: "an address with a plus", text: `"ada+{random_text(6)}@gull.example"`}, {says: "an address with dots", text: `"a.b.{random_text(6)}@mail.gull.example"`}},
		"uri":   {{says: "a URI with a query and a fragment", text: `"http://127.0.0.1/boats?flag=DK&x=%C3%A9#top"`}},
	}
	beyondsOfFormat = map[string][]limited{
		"date":     {{says: "30 February", text: `"2027-02-30"`}, {says: "29 February of a year that has none", text: `"2027-02-29"`}, {says: "month 13", text: `"2027-13-01"`}, {says: "a date without zeros", text: `"2027-1-1"`}},
		"datetime": {{says: "30 February", text: `"2027-02-30T10:00:00Z"`}, {says: "24 o'clock", text: `"2027-01-01T24:00:00Z"`}, {says: "a time without an offset", text: `"2027-01-01T10:00:00"`}},
		"time":     {{says: "24 o'clock", text: `"24:00:00Z"`}, {says: "minute 60", text: `"10:60:00Z"`}},
		"uuid":     {{says: "35 characters", text: `"7d1f0c2e-9b5a-4386-8f00-0123456789a"`}, {says: "a letter that is no digit of it", text: `"7d1f0c2e-9b5a-4386-8f00-0123456789ag"`}},
		"email":    {{says: "an address without @", text: `"ada.gull.example"`}, {says: "an address with two @", text: `"ada@gull@example"`}},
		"uri":      {{says: "a text with blanks", text: `"not a uri"`}},
	}
)
