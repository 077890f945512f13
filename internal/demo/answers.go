package demo

// An Exercise holds what the made-up learners submit for one of the paper's exercises.
type Exercise struct {
	Slug     string
	Right    []string // each counts as right
	Mistakes []string // none does
}

// Exercises are in the paper's order.
var Exercises = []Exercise{
	{"names-and-valleys",
		[]string{
			"SELECT name, valley FROM apiary;", "select a.name, a.valley from apiary a order by a.founded",
			"SELECT name, valley\nFROM apiary\nORDER BY name;",
		},
		[]string{
			"SELECT * FROM apiary;", "SELECT valley, name FROM apiary;", "SELECT name, vally FROM apiary;",
			"SELECT name valley FROM apiary;",
		}},
	{"hives-by-strength",
		[]string{"SELECT name, kind, strength\nFROM hive\nWHERE strength IS NOT NULL\nORDER BY strength DESC;",
			"SELECT name, kind, strength FROM hive WHERE strength >= 0 ORDER BY strength DESC, name",
			"SELECT name, kind, strength FROM hive WHERE NOT strength IS NULL ORDER BY 3 DESC, hive_id"},
		[]string{"SELECT name, kind, strength FROM hive ORDER BY strength DESC;", "SELECT name, kind, strength FROM " +
			"hive WHERE strength IS NOT NULL ORDER BY strength;",
			"SELECT name, kind, strength FROM hive WHERE strength <> NULL ORDER BY strength DESC;", "SELECT name, " +
				"kind, strength FROM hive WHERE strength IS NOT NULL;"}},
	{"high-and-strong",
		[]string{
			"SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength >= 8;",
			"SELECT hive_id, strength FROM hive WHERE strength > 7 AND kind LIKE 'stacked'",
		},
		[]string{"SELECT hive_id, strength FROM hive WHERE kind = 'stacked' AND strength > 8;", "SELECT hive_id, " +
			"strength FROM hive WHERE kind = 'stacked' OR strength >= 8;",
			"SELECT hive_id, strength FROM hive WHERE kind = \"stacked\" AND strength >= 8;"}},
	{"no-mail",
		[]string{
			"SELECT name, village FROM beekeeper WHERE email IS NULL ORDER BY name;",
			"SELECT name, village FROM beekeeper WHERE coalesce(email, '') = '' ORDER BY name ASC",
		},
		[]string{"SELECT name, village FROM beekeeper WHERE email = NULL ORDER BY name;", "SELECT name, village " +
			"FROM beekeeper WHERE email IS NULL ORDER BY village;",
			"SELECT name, village FROM beekeeper WHERE email = '' ORDER BY name;", "SELECT name, village FROM " +
				"beekeeper WHERE email IS NULL ORDER BY name DESC;"}},
	{"which-colours",
		[]string{
			"SELECT DISTINCT colour FROM hive;", "SELECT colour FROM hive GROUP BY colour",
			"SELECT colour FROM hive UNION SELECT colour FROM hive ORDER BY 1",
		},
		[]string{
			"SELECT colour FROM hive;", "SELECT DISTINCT colour AS color FROM hive;",
			"SELECT DISTINCT colour, kind FROM hive;",
		}},
	{"calm-bees",
		[]string{
			"SELECT inspection_id, remark FROM inspection WHERE lower(remark) LIKE 'calm%';",
			"SELECT inspection_id, remark FROM inspection WHERE remark ILIKE 'calm%'",
		},
		[]string{"SELECT inspection_id, remark FROM inspection WHERE remark LIKE 'calm%';", "SELECT inspection_id, " +
			"remark FROM inspection WHERE remark = 'calm';",
			"SELECT inspection_id, remark FROM inspection WHERE remark LIKE 'Calm';", "SELECT inspection_id, remark " +
				"FROM inspection WHERE remark LIKE 'calm%' OR remark LIKE 'Calm%';"}},
	{"harvest-by-grade",
		[]string{"SELECT grade_code, count(*), sum(weight_kg)\nFROM harvest\nGROUP BY grade_code\n" +
			"HAVING sum(weight_kg) >= 500\nORDER BY sum(weight_kg) DESC;",
			"SELECT g.grade_code, count(h.harvest_id) AS n, sum(h.weight_kg) AS kg FROM grade g JOIN harvest h " +
				"USING (grade_code) GROUP BY g.grade_code HAVING sum(h.weight_kg) >= 500 ORDER BY kg DESC"},
		[]string{"SELECT grade_code, count(*), sum(weight_kg) FROM harvest GROUP BY grade_code ORDER BY " +
			"sum(weight_kg) DESC;",
			"SELECT grade_code, count(*), sum(weight_kg) FROM harvest WHERE sum(weight_kg) >= 500 GROUP BY grade_code;",
			"SELECT grade_code, count(moisture), sum(weight_kg) FROM harvest GROUP BY grade_code HAVING " +
				"sum(weight_kg) >= 500 ORDER BY 3 DESC;",
			"SELECT grade_code, count(*), avg(weight_kg) FROM harvest GROUP BY grade_code HAVING sum(weight_kg) >= " +
				"500 ORDER BY sum(weight_kg) DESC;"}},
	{"who-looks-after-what",
		[]string{"SELECT a.name, b.name\nFROM apiary a\nJOIN care c ON c.apiary_id = a.apiary_id\n" +
			"JOIN beekeeper b ON b.beekeeper_id = c.beekeeper_id\nWHERE a.valley = 'Durn'\nORDER BY a.name, b.name;",
			"SELECT apiary.name, beekeeper.name FROM apiary, care, beekeeper WHERE apiary.apiary_id = " +
				"care.apiary_id AND care.beekeeper_id = beekeeper.beekeeper_id AND valley = 'Durn' ORDER BY 1, 2"},
		[]string{"SELECT a.name, b.name FROM apiary a, beekeeper b WHERE a.valley = 'Durn' ORDER BY a.name, b.name;",
			"SELECT a.name, b.name FROM apiary a JOIN care c ON c.apiary_id = a.apiary_id JOIN beekeeper b ON " +
				"b.beekeeper_id = c.beekeeper_id ORDER BY a.name, b.name;",
			"SELECT name, name FROM apiary JOIN care USING (apiary_id) JOIN beekeeper USING (beekeeper_id) WHERE " +
				"valley = 'Durn';",
			"SELECT b.name, a.name FROM apiary a JOIN care c USING (apiary_id) JOIN beekeeper b USING " +
				"(beekeeper_id) WHERE a.valley = 'Durn' ORDER BY a.name, b.name;"}},
}
