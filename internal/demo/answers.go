package demo

// An Exercise holds what the made-up learners submit for one of the paper's exercises.
type Exercise struct {
	Slug     string
	Right    []string // each counts as right
	Mistakes []string // none does
}

// Answers are what the made-up learners submit, by paper; the exercises are in the order of each.
var Answers = map[string][]Exercise{
	"before-the-season": beforeTheSeason,
	firstLook:           firstLookAnswers,
	"what-is-missing":   whatIsMissing,
	honeyRoom:           inTheHoneyRoom,
}

var beforeTheSeason = []Exercise{
	{"all-about-grades",
		[]string{"SELECT * FROM grade;", "select grade_code, name, price_kg from grade", "TABLE grade;"},
		[]string{"SELECT * FROM grades;", "SELECT name, price_kg FROM grade;", "SELECT name FROM grade;"}},
	{"dear-honey",
		[]string{
			"SELECT name, price_kg FROM grade WHERE price_kg >= 16 ORDER BY price_kg DESC;",
			"select name, price_kg from grade where not price_kg < 16 order by 2 desc, 1",
		},
		[]string{
			"SELECT name, price_kg FROM grade WHERE price_kg > 16 ORDER BY price_kg DESC;",
			"SELECT name, price_kg FROM grade WHERE price_kg >= 16;",
			"SELECT name, price_kg FROM grade WHERE price_kg >= 16 ORDER BY price_kg;",
			"SELECT name, price_kg FROM grade WHERE price >= 16 ORDER BY price DESC;",
		}},
	{"first-three",
		[]string{
			"SELECT name, founded FROM apiary ORDER BY founded LIMIT 3;",
			"SELECT name, founded\nFROM apiary\nORDER BY founded ASC\nFETCH FIRST 3 ROWS ONLY;",
		},
		[]string{
			"SELECT name, founded FROM apiary ORDER BY founded;",
			"SELECT name, founded FROM apiary ORDER BY founded DESC LIMIT 3;",
			"SELECT name, founded FROM apiary LIMIT 3;",
			"SELECT TOP 3 name, founded FROM apiary ORDER BY founded;",
		}},
	{"people-of-beckside",
		[]string{
			"SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY joined DESC;",
			"select name from beekeeper where village like 'Beckside' order by joined desc, beekeeper_id",
		},
		[]string{
			"SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY name;",
			"SELECT name FROM beekeeper WHERE village = Beckside ORDER BY joined DESC;",
			"SELECT name FROM beekeeper WHERE village = 'Beckside' ORDER BY joined;",
			"SELECT name, joined FROM beekeeper WHERE village = 'Beckside' ORDER BY joined DESC;",
		}},
	{"hives-in-use",
		[]string{
			"SELECT count(*), count(strength) FROM hive;",
			"SELECT count(*) AS hives, count(*) FILTER (WHERE strength IS NOT NULL) AS in_use FROM hive;",
			"SELECT count(hive_id), (SELECT count(*) FROM hive WHERE strength IS NOT NULL) FROM hive",
		},
		[]string{
			"SELECT count(*) FROM hive WHERE strength IS NOT NULL;",
			"SELECT count(*), sum(strength) FROM hive;",
			"SELECT count(*), count(strength > 0) FROM hive WHERE strength IS NOT NULL;",
			"SELECT count(*), count(strength) FROM hives;",
		}},
}

var whatIsMissing = []Exercise{
	{"without-an-apiary",
		[]string{
			"SELECT b.name\nFROM beekeeper b\nLEFT JOIN care c USING (beekeeper_id)\nWHERE c.apiary_id IS NULL;",
			"SELECT name FROM beekeeper WHERE beekeeper_id NOT IN (SELECT beekeeper_id FROM care);",
			"SELECT name FROM beekeeper b WHERE NOT EXISTS (SELECT 1 FROM care c " +
				"WHERE c.beekeeper_id = b.beekeeper_id)",
		},
		[]string{
			"SELECT name FROM beekeeper EXCEPT SELECT name FROM beekeeper JOIN care USING (beekeeper_id);",
			"SELECT b.name FROM beekeeper b JOIN care c USING (beekeeper_id) WHERE c.apiary_id IS NULL;",
			"SELECT b.name FROM beekeeper b LEFT JOIN care c USING (beekeeper_id) WHERE c.apiary_id = NULL;",
			"SELECT b.name FROM beekeeper b LEFT JOIN care c USING (beekeeper_id);",
		}},
	{"never-sold",
		[]string{
			"SELECT grade_code, name FROM grade WHERE grade_code NOT IN (SELECT grade_code FROM sale_line);",
			"SELECT g.grade_code, g.name FROM grade g LEFT JOIN sale_line l USING (grade_code) WHERE l.sale_id IS NULL",
		},
		[]string{
			"SELECT grade_code, name FROM grade WHERE grade_code NOT IN (SELECT grade_code FROM harvest);",
			"SELECT grade_code, name FROM grade JOIN sale_line USING (grade_code) WHERE weight_kg = 0;",
			"SELECT name FROM grade WHERE grade_code NOT IN (SELECT grade_code FROM sale_line);",
			"SELECT grade_code, name FROM grade WHERE grade_code <> (SELECT grade_code FROM sale_line);",
		}},
	{"still-to-come",
		[]string{
			"SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT buyer_id FROM sale) ORDER BY name;",
			"SELECT b.name, b.town\nFROM buyer b\nLEFT JOIN sale s ON s.buyer_id = b.buyer_id\n" +
				"WHERE s.sale_id IS NULL\nORDER BY b.name;",
		},
		[]string{
			"SELECT name, town FROM buyer LEFT JOIN sale USING (buyer_id) WHERE paid_on IS NULL ORDER BY name;",
			"SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT sale_id FROM sale) ORDER BY name;",
			"SELECT name, town FROM buyer WHERE buyer_id NOT IN (SELECT buyer_id FROM sale) ORDER BY name DESC;",
		}},
	{"how-many-each",
		[]string{
			"SELECT b.beekeeper_id, b.name, count(c.apiary_id)\nFROM beekeeper b\n" +
				"LEFT JOIN care c USING (beekeeper_id)\nGROUP BY b.beekeeper_id;",
			"SELECT beekeeper_id, name, (SELECT count(*) FROM care c WHERE c.beekeeper_id = b.beekeeper_id) " +
				"FROM beekeeper b ORDER BY name",
		},
		[]string{
			"SELECT b.beekeeper_id, b.name, count(*) FROM beekeeper b JOIN care c USING (beekeeper_id) " +
				"GROUP BY b.beekeeper_id;",
			"SELECT b.beekeeper_id, b.name, count(*) FROM beekeeper b LEFT JOIN care c USING (beekeeper_id) " +
				"GROUP BY b.beekeeper_id;",
			"SELECT b.beekeeper_id, b.name, count(apiary_id) FROM beekeeper b LEFT JOIN care c USING (beekeeper_id) " +
				"GROUP BY b.name;",
		}},
	{"still-owed",
		[]string{
			"SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed\nFROM buyer b\nJOIN sale s USING (buyer_id)\n" +
				"JOIN sale_line l USING (sale_id)\nWHERE s.paid_on IS NULL\nGROUP BY b.buyer_id\nORDER BY owed DESC;",
			"SELECT name, sum(weight_kg * price_kg) FROM buyer JOIN sale USING (buyer_id) JOIN sale_line USING " +
				"(sale_id) WHERE paid_on IS NULL GROUP BY buyer_id, name ORDER BY 2 DESC, name",
		},
		[]string{
			"SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s USING (buyer_id) " +
				"JOIN sale_line l USING (sale_id) GROUP BY b.buyer_id ORDER BY owed DESC;",
			"SELECT b.name, sum(l.weight_kg * g.price_kg) AS owed FROM buyer b JOIN sale s USING (buyer_id) " +
				"JOIN sale_line l USING (sale_id) JOIN grade g USING (grade_code) WHERE s.paid_on IS NULL " +
				"GROUP BY b.buyer_id ORDER BY owed DESC;",
			"SELECT b.name, sum(l.weight_kg) AS owed FROM buyer b JOIN sale s USING (buyer_id) " +
				"JOIN sale_line l USING (sale_id) WHERE s.paid_on IS NULL GROUP BY b.buyer_id ORDER BY owed DESC;",
			"SELECT b.name, sum(l.weight_kg * l.price_kg) AS owed FROM buyer b JOIN sale s USING (buyer_id) " +
				"JOIN sale_line l USING (sale_id) WHERE s.paid_on = NULL GROUP BY b.buyer_id ORDER BY owed DESC;",
		}},
}

var inTheHoneyRoom = []Exercise{
	{"young-queens",
		[]string{
			"SELECT kind, count(*) FROM hive WHERE queen_year >= 2025 GROUP BY kind;",
			"select kind, count(hive_id) from hive where queen_year > 2024 group by kind order by kind",
		},
		[]string{
			"SELECT kind, count(*) FROM hive WHERE queen_year > 2025 GROUP BY kind;",
			"SELECT kind, count(*) FROM hive GROUP BY kind, queen_year HAVING queen_year >= 2025;",
			"SELECT kind, count(*) FROM hive WHERE queen_year >= 2025;",
		}},
	{"great-days",
		[]string{
			"SELECT day, sum(weight_kg) FROM harvest GROUP BY day HAVING sum(weight_kg) > 100 ORDER BY day;",
			"SELECT * FROM (SELECT day, sum(weight_kg) AS kg FROM harvest GROUP BY day) AS d " +
				"WHERE kg > 100 ORDER BY day",
		},
		[]string{
			"SELECT day, sum(weight_kg) FROM harvest WHERE sum(weight_kg) > 100 GROUP BY day ORDER BY day;",
			"SELECT day, weight_kg FROM harvest WHERE weight_kg > 100 ORDER BY day;",
			"SELECT day, sum(weight_kg) FROM harvest GROUP BY day ORDER BY day;",
		}},
	{"teachers",
		[]string{
			"SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m " +
				"ON b.mentor_id = m.beekeeper_id ORDER BY b.name;",
			"SELECT name, (SELECT m.name FROM beekeeper m WHERE m.beekeeper_id = b.mentor_id) AS mentor " +
				"FROM beekeeper b ORDER BY name",
		},
		[]string{
			"SELECT b.name, m.name FROM beekeeper b JOIN beekeeper m ON b.mentor_id = m.beekeeper_id ORDER BY b.name;",
			"SELECT name, mentor_id FROM beekeeper ORDER BY name;",
			"SELECT b.name, m.name FROM beekeeper b LEFT JOIN beekeeper m " +
				"ON m.mentor_id = b.beekeeper_id ORDER BY b.name;",
		}},
	{"best-hives",
		[]string{
			"SELECT a.name, h.name, sum(v.weight_kg) AS kg\nFROM apiary a\nJOIN hive h USING (apiary_id)\n" +
				"JOIN harvest v USING (hive_id)\nGROUP BY a.name, h.hive_id\n" +
				"HAVING sum(v.weight_kg) > 80\nORDER BY kg DESC;",
		},
		[]string{
			"SELECT a.name, h.name, sum(v.weight_kg) AS kg FROM apiary a JOIN hive h USING (apiary_id) " +
				"JOIN harvest v USING (hive_id) GROUP BY a.name, h.hive_id ORDER BY kg DESC;",
			"SELECT h.name, sum(v.weight_kg) AS kg FROM hive h JOIN harvest v USING (hive_id) GROUP BY h.name " +
				"HAVING sum(v.weight_kg) > 80 ORDER BY kg DESC;",
		}},
}

var firstLookAnswers = []Exercise{
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
