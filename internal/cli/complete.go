package cli

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"examen/internal/client"
)

// examples are command lines that run as they stand on the demo's data, by the command's path.
var examples = map[string]string{
	"demo":        "examen demo\nexamen demo --data-dir ~/examen-demo   # keeps the data",
	"serve":       "examen serve --data-dir /var/lib/examen\nexamen serve --listen 0.0.0.0:8080 --limit-time 20s",
	"login":       "examen login wren\nexamen --url http://127.0.0.1:8080 login hazel",
	"logout":      "examen logout",
	"whoami":      "examen whoami",
	"password":    "examen password",
	"paper list":  "examen paper list\nexamen paper list -o json",
	"paper show":  "examen paper show first-look",
	"paper check": "examen paper check first-look",
	"paper strengthen": "examen paper strengthen before-the-season --look\n" +
		"examen paper strengthen before-the-season --yes",
	"paper new": "examen paper new hive-basics --title 'Hive basics' --dataset apiary\n" +
		"examen paper new second-look --title 'A second look' --copy first-look",
	"paper edit":     "examen paper edit first-look",
	"paper publish":  "examen paper publish second-look --yes --note 'from the first look'",
	"paper versions": "examen paper versions first-look",
	"paper compare":  "examen paper compare first-look 1\nexamen paper compare first-look 1 1",
	"paper restore":  "examen paper restore first-look 1",
	"paper discard":  "examen paper discard first-look --yes",
	"exercise find": "examen exercise find strength\n" +
		"examen exercise find --table hive --construct order-by --column name",
	"exercise copy": "examen exercise copy first-look/3 first-look   # as a start for one like it",
	"paper set": "examen paper set first-look --course evening-group --due 2036-12-20\n" +
		"examen paper set first-look --course evening-group --opens '2026-09-01 08:00' --due 2036-12-20T22:00:00Z\n" +
		"examen paper set first-look --course evening-group --grace 48h --deduct 5%/h --counts best",
	"paper unset":   "examen paper unset first-look --course saturday-group",
	"paper release": "examen paper release first-look --course evening-group",
	"paper extend": "examen paper extend first-look robin --course evening-group " +
		"--due 2036-12-24 --reason 'was ill'",
	"paper extensions": "examen paper extensions first-look --course evening-group",
	"paper tell":       "examen paper tell first-look 'Exercise 3 means whole years.' --course evening-group",
	"paper begin":      "examen paper begin first-look --yes",
	"paper candidates": "examen paper candidates first-look --course evening-group",
	"read": "examen read first-look\nexamen read first-look/3\nexamen read first-look --answers > answers.sql\n" +
		"examen read first-look --as html > first-look.html",
	"run": "echo 'SELECT * FROM hive LIMIT 3' | examen run first-look\n" +
		"examen run first-look/3 query.sql\nexamen run --dataset apiary -o csv query.sql\n" +
		"examen run first-look query.sql -o xlsx --all > rows.xlsx",
	"submit": "echo 'SELECT name, valley FROM apiary' | examen submit first-look/1\n" +
		"examen submit first-look/names-and-valleys answer.sql\nexamen submit first-look answers.sql",
	"example": "examen example first-look/high-and-strong\nexamen example first-look/high-and-strong answer.sql",
	"history": "examen history --paper first-look --outcome incorrect\n" +
		"examen history --learner robin --paper first-look --exercise hives-by-strength --timeline\n" +
		"examen history strength --since 2026-09-01\n" +
		"examen history --limit 5 --full",
	"entry keep":  "examen entry keep 1042 --name 'the long join'\nexamen entry keep 1042 --off",
	"entry clear": "examen entry clear 1042\nexamen entry clear --paper first-look",
	"text list":   "examen text list\nexamen text list swarm",
	"text save": "echo 'SELECT * FROM swarm' | examen text save swarms --dataset apiary\n" +
		"examen text save swarms query.sql",
	"text show":    "examen text show swarms",
	"text rename":  "examen text rename swarms 'all swarms'",
	"text copy":    "examen text copy 'all swarms' swarms",
	"text remove":  "examen text remove swarms",
	"dataset list": "examen dataset list",
	"dataset show": "examen dataset show apiary\nexamen dataset show apiary hive",
	"dataset rows": "examen dataset rows apiary hive --sort strength --descending\n" +
		"examen dataset rows apiary hive --where kind=skep --limit 5\n" +
		"examen dataset rows apiary hive --where strength=NULL",
	"dataset map": "examen dataset map apiary\nexamen dataset map apiary --format svg --to apiary.svg",
	"dataset build": "examen dataset build nights/\nexamen dataset build tables.sql rows.sql --name meadow\n" +
		"examen dataset build observers.csv",
	"dataset changes": "examen dataset changes apiary allow\nexamen dataset changes apiary refuse",
	"copy list":       "examen copy list",
	"copy show":       "examen copy show apiary",
	"copy reset":      "examen copy reset apiary",
	"dataset builds":  "examen dataset builds\nexamen dataset builds apiary",
	"dataset use":     "examen dataset use apiary 1",
	"dataset confirm": "examen dataset confirm nights",
	"dataset follow":  "examen dataset follow nights",
	"dataset stop":    "examen dataset stop nights",
	"dataset drop":    "examen dataset drop observers --yes",
	"pack check":      "examen pack check my-pack/",
	"pack load":       "examen pack load my-pack/",
	"pack list":       "examen pack list",
	"pack export":     "examen pack export heather-hill\nexamen pack export heather-hill my-copy/ --over",
	"course create":   "examen course create saturday-group --title 'Saturday group'",
	"course list":     "examen course list",
	"course show":     "examen course show evening-group",
	"course overview": "examen course overview evening-group",
	"course report": "examen course report evening-group --to evening-group.html\n" +
		"examen course report evening-group robin --to robin.html",
	"course change": "examen course change evening-group --zone Europe/Lisbon",
	"course copy": "examen course copy evening-group evening-group-spring --title 'Evening group, spring' " +
		"--first-day 2027-02-15",
	"course archive": "examen course archive evening-group\nexamen course archive evening-group --undo",
	"course delete":  "examen course delete evening-group-spring --yes",
	"member add": "examen member add juniper --course evening-group --display-name 'Juniper Moss'\n" +
		"examen member add sorrel --course evening-group --role assistant",
	"account create": "examen account create sorrel --administrator",
	"member list":    "examen member list --course evening-group",
	"member import": "examen member import roster.csv --course saturday-group --yes\n" +
		"examen member import numbers.csv --course saturday-group --check --column login=Number",
	"member change": "examen member change juniper --course evening-group --group Tuesday --email juniper@example.org",
	"member remove": "examen member remove juniper --course evening-group",
	"member slips": "examen member slips --course evening-group --to slips.html\n" +
		"examen member slips wren --course evening-group -o csv",
	"member sessions": "examen member sessions robin\nexamen member sessions   # your own",
	"member export": "examen member export robin --to robin.json\n" +
		"examen member export robin --as html --to robin.html",
	"member anonymise": "examen member deactivate tarek\nexamen member anonymise tarek --yes",
	"recheck": "examen recheck first-look/3 --check\n" +
		"examen recheck first-look --yes --reason 'another accepted answer'",
	"log":               "examen log --about marks\nexamen log --person robin --since 2026-09-01 -o csv",
	"member reset":      "examen member reset juniper",
	"member deactivate": "examen member deactivate bento",
	"member activate":   "examen member activate bento",
	"mark set": "examen mark set first-look/3 robin 0.5 --reason 'right but for a typing error'\n" +
		"examen mark set first-look/3 robin - --reason 'checked again'",
	"webhook add": "examen webhook add evening-group http://127.0.0.1:9/marks",
	"backup":      "examen backup examen.backup\nexamen backup \"examen-$(date +%F).backup\" -o json",
	"restore": "examen restore examen.backup --data-dir /var/lib/examen\n" +
		"examen restore examen.backup --records-url postgres://examen@records.example/examen",
	"server list":    "examen server list",
	"status":         "examen status",
	"cluster make":   "examen cluster make practice --data-dir /var/lib/examen",
	"cluster run":    "examen cluster run practice --data-dir /var/lib/examen --for examen",
	"doctor":         "examen doctor --listen 127.0.0.1:8080",
	"server drain":   "examen server drain practice-2.example:5432",
	"server resume":  "examen server resume practice-2.example:5432",
	"webhook list":   "examen webhook list evening-group",
	"webhook log":    "examen webhook log evening-group 1",
	"webhook remove": "examen webhook remove evening-group 1",
	"calendar":       "examen calendar\nexamen calendar --off",
	"mark undo":      "examen mark undo first-look/3 robin",
	"mark show":      "examen mark show first-look/3 robin",
	"mark list":      "examen mark list --course evening-group\nexamen mark list --cause disputed",
	"mark done":      "examen mark done 1\nexamen mark done 1 --undo",
	"note": "examen note 1042 'Look at what NULL does here.'\n" +
		"examen note 1042 'Say it with IS NULL.' --at '= NULL'\n" +
		"examen note 1042 'A skep has no frames: look at what is NULL.' --alike --later",
	"note list":     "examen note list --paper first-look\nexamen note list --learner robin",
	"note answer":   "examen note answer 1 'Because a condition with NULL is not true.' --learner robin",
	"note withdraw": "examen note withdraw 1",
	"dispute":       "examen dispute first-look/3 'The task does not say whole years.'",
	"progress": "examen progress first-look\nexamen progress first-look --course evening-group -o csv\n" +
		"examen progress first-look --group Durn --who at-work --sort mark\n" +
		"examen progress first-look/2 --course evening-group\n" +
		"examen progress first-look --course evening-group --same",
	"marks": "examen marks first-look --format csv\n" +
		"examen marks first-look --course evening-group --format xlsx --to marks.xlsx\n" +
		"examen marks first-look --attempts --format json > marks.json\nexamen marks   # your own",
}

// wanted is what an argument or a flag can be completed to.
type wanted string

const (
	aPaper    wanted = "paper"
	anAddress wanted = "address" // PAPER/EXERCISE
	aDataset  wanted = "dataset"
	aTable    wanted = "table" // of the dataset before
	aPack     wanted = "pack"
	aCourse   wanted = "course"
	aMember   wanted = "member"
	aText     wanted = "text" // of one's own
	aFile     wanted = "file"
)

// arguments lists what the arguments of each command are, in order; the last may be repeated.
var arguments = map[string][]wanted{
	"paper show": {aPaper}, "paper check": {aPaper}, "recheck": {anAddress}, "paper set": {aPaper},
	"paper unset": {aPaper}, "paper release": {aPaper}, "paper extend": {aPaper, aMember},
	"paper extensions": {aPaper}, "paper tell": {aPaper}, "paper begin": {aPaper}, "paper candidates": {aPaper},
	"read":       {anAddress},
	"paper edit": {aPaper}, "paper publish": {aPaper}, "paper versions": {aPaper}, "paper compare": {aPaper},
	"paper restore": {aPaper}, "paper discard": {aPaper}, "exercise copy": {anAddress, aPaper},
	"run": {anAddress, aFile}, "submit": {anAddress, aFile}, "example": {anAddress, aFile},
	"dataset show": {aDataset, aTable},
	"dataset rows": {aDataset, aTable}, "dataset map": {aDataset}, "dataset build": {aFile},
	"dataset changes": {aDataset}, "copy show": {aDataset}, "copy reset": {aDataset}, "dataset builds": {aDataset},
	"dataset use": {aDataset}, "dataset confirm": {aDataset},
	"dataset follow": {aDataset}, "dataset stop": {aDataset}, "dataset drop": {aDataset}, "pack check": {aFile},
	"pack load":   {aFile},
	"pack export": {aPack, aFile}, "course show": {aCourse}, "course overview": {aCourse}, "course report": {aCourse,
		aMember}, "course change": {aCourse},
	"course copy":    {aCourse},
	"course archive": {aCourse}, "course delete": {aCourse}, "member change": {aMember}, "member remove": {aMember},
	"member slips": {aMember}, "member sessions": {aMember}, "member export": {aMember}, "member anonymise": {aMember},
	"member import": {aFile}, "member reset": {aMember}, "member deactivate": {aMember},
	"member activate": {aMember}, "mark set": {anAddress, aMember}, "mark undo": {anAddress, aMember},
	"mark show": {anAddress, aMember}, "webhook add": {aCourse}, "webhook list": {aCourse}, "webhook log": {aCourse},
	"webhook remove": {aCourse}, "dispute": {anAddress},
	"progress": {aPaper}, "marks": {aPaper}, "text show": {aText}, "text save": {aText, aFile},
	"text rename": {aText}, "text copy": {aText}, "text remove": {aText},
}

// choices lists the values that some flags accept.
var choices = map[string][]string{
	"outcome": {"correct", "incorrect", "rejected", "failed", "stopped", "done"}, "kind": {"run", "attempt"},
	"role":   {"instructor", "assistant", "learner"},
	"as":     {"html", "markdown"},
	"counts": {"best", "last", "first"}, "tell": {"at-once", "after-due", "released"}, "unbounded": {"opens", "due"},
	"about":  {"accounts", "courses", "papers", "times", "marks"},
	"cause":  {"rule", "stopped", "disputed", "recheck", "answer"},
	"output": {"table", "json", "csv"},
}

// finish gives each command its example, and its arguments and flags their completion.
func (p *program) finish(root *cobra.Command) {
	var each func(c *cobra.Command)
	each = func(c *cobra.Command) {
		path := strings.TrimPrefix(c.CommandPath(), root.Name()+" ")
		if example := examples[path]; example != "" {
			c.Example = "  " + strings.ReplaceAll(example, "\n", "\n  ")
		}
		if wants := arguments[path]; wants != nil {
			c.ValidArgsFunction = func(cmd *cobra.Command, args []string, begun string) (
				[]string, cobra.ShellCompDirective,
			) {
				if len(args) >= len(wants) && wants[len(wants)-1] != aFile {
					return nil, cobra.ShellCompDirectiveNoFileComp
				}
				return p.complete(cmd, wants[min(len(args), len(wants)-1)], args, begun)
			}
		} else if c.Runnable() && !c.HasSubCommands() {
			c.ValidArgsFunction = cobra.NoFileCompletions
		}
		for flag, what := range map[string]wanted{
			"paper": aPaper, "copy": aPaper, "course": aCourse, "learner": aMember, "person": aMember, "by": aMember,
			"dataset": aDataset,
		} {
			if c.Flags().Lookup(flag) != nil {
				_ = c.RegisterFlagCompletionFunc(flag, func(cmd *cobra.Command, args []string, begun string) (
					[]string, cobra.ShellCompDirective,
				) {
					return p.complete(cmd, what, args, begun)
				})
			}
		}
		for flag, values := range choices {
			if c.Flags().Lookup(flag) != nil || flag == "output" && c == root {
				_ = c.RegisterFlagCompletionFunc(
					flag, cobra.FixedCompletions(values, cobra.ShellCompDirectiveNoFileComp),
				)
			}
		}
		for _, sub := range c.Commands() {
			each(sub)
		}
	}
	each(root)
}

// completionPatience is how long completion waits for the service while somebody types.
const completionPatience = 2 * time.Second

// complete asks the service what an argument could be. If it does not answer, nothing is offered.
func (p *program) complete(
	cmd *cobra.Command, what wanted, args []string, begun string,
) ([]string, cobra.ShellCompDirective) {
	if what == aFile {
		return nil, cobra.ShellCompDirectiveDefault
	}
	ctx, stop := context.WithTimeout(context.Background(), completionPatience)
	defer stop()
	cmd.SetContext(ctx)
	if p.configure(cmd) != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	directive := cobra.ShellCompDirectiveNoFileComp
	var found []string
	switch what {
	case aPaper:
		found = listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListPapers(ctx) },
			func(s client.PaperSummary) string { return s.Slug + "\t" + s.Title },
		)
	case anAddress:
		found, directive = p.addresses(cmd, begun)
	case aDataset:
		found = listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListDatasets(ctx) },
			func(d client.DatasetSummary) string { return d.Name + "\t" + d.Title },
		)
	case aPack:
		found = listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListPacks(ctx) },
			func(k client.Pack) string { return k.Name + "\t" + k.Title },
		)
	case aCourse:
		found = listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListCourses(ctx) },
			func(c client.Course) string { return c.Slug + "\t" + c.Title },
		)
	case aTable:
		if d, err := ask[client.Dataset](
			p, cmd,
			func(ctx context.Context, c *client.Client) (*http.Response, error) {
				return c.GetDataset(ctx, args[0], nil)
			},
		); err == nil {
			for _, t := range d.Tables {
				found = append(found, t.Name)
			}
		}
	case aText:
		found = listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListTexts(ctx) },
			func(t client.OwnText) string { return t.Name + "\t" + t.Dataset },
		)
	case aMember:
		courses, _ := ask[[]client.Course](
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListCourses(ctx) },
		)
		for _, course := range courses {
			d, _ := ask[client.CourseDetail](p, cmd, func(ctx context.Context, c *client.Client) (
				*http.Response, error,
			) {
				return c.GetCourse(ctx, course.Slug)
			})
			for _, l := range d.Members {
				found = append(found, l.Name+"\t"+l.DisplayName)
			}
		}
	}
	found = slices.DeleteFunc(found, func(s string) bool { return !strings.HasPrefix(s, begun) })
	if what != anAddress { // exercises come as their paper has them
		slices.Sort(found)
	}
	return slices.Compact(found), directive
}

func listed[T any](p *program, cmd *cobra.Command, question call, name func(T) string) (found []string) {
	items, _ := ask[[]T](p, cmd, question)
	for _, item := range items {
		found = append(found, name(item))
	}
	return found
}

// addresses offers papers, and once a paper is written, its exercises.
func (p *program) addresses(cmd *cobra.Command, begun string) ([]string, cobra.ShellCompDirective) {
	paper, _, within := strings.Cut(begun, "/")
	if !within {
		found := listed(
			p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.ListPapers(ctx) },
			func(s client.PaperSummary) string { return s.Slug + "/\t" + s.Title },
		)
		return found, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
	var found []string
	read, err := ask[client.Paper](
		p, cmd, func(ctx context.Context, c *client.Client) (*http.Response, error) { return c.GetPaper(ctx, paper) },
	)
	for _, s := range read.Sections {
		if e := s.Exercise; err == nil && e.Slug != "" {
			found = append(found, fmt.Sprintf("%s/%s\t%d. %s", paper, e.Slug, e.Number, e.Title))
		}
	}
	return found, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}
