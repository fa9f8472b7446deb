using System.Text.Json;

namespace Assignum.Web.Tests;

/// <summary>The parts of the grid's script, each by itself in a blank page: no table, no server.</summary>
[Collection(OtherAppCollection.Name)]
public class GridParts(RunningApp app) : InBrowser(app)
{
    // Runs a story over a module in a page that has nothing but its address, and gives what it ends with.
    private string Run(string module, string story)
    {
        Go("/healthz");
        var json = (string)
            browser.ExecuteAsyncScript(
                "const done = arguments[arguments.length - 1];"
                    + "import(arguments[0]).then(async m => { const f = async () => {"
                    + story
                    + "}; done(JSON.stringify(await f())); }).catch(e => done(JSON.stringify('failed: ' + e)));",
                $"/js/grid/{module}.js"
            )!;
        return json;
    }

    [Fact]
    public void What_waits_is_counted_sent_and_refused_cell_by_cell()
    {
        Run(
                "pending",
                """
                const p = new m.Pending();
                p.put('4010', 'name', 'Sales', 'Sales of gauges');
                p.put('4010', 'note', '', 'x');
                p.put('4010', 'note', '', 'y');
                p.put('4012', 'name', 'A', 'B');
                p.put('4012', 'name', 'B', 'A');
                p.drop('4020', 'stamp');
                p.drop('4021', 'stamp');
                p.drop('4021', 'stamp');
                p.put('new:1', 'name', '', 'N');
                p.drop('new:1', null);
                const sent = p.content();
                const rows = p.refuse([
                  { number: '4010', column: 'name', message: 'no' },
                  { number: '4010', column: 'hidden', message: 'nor this' },
                  { number: '9', column: 'name', message: 'nobody' },
                ], (column) => column === 'hidden' ? false : true);
                const wrong = [p.fault('4010', 'name'), p.fault('4010', 'note'), p.goes('4020'), p.goes('4021')];
                p.put('4010', 'name', 'Sales', 'Other');
                const after = [p.fault('4010', 'name'), p.touches(new Set(['note'])), p.touches(new Set(['class']))];
                p.clear();
                return { sent, rows, wrong, after, left: p.count };
                """
            )
            .ShouldBe(
                (
                    "{'sent':{'edits':[{'number':'4010','column':'name','was':'Sales','value':'Sales of gauges'},"
                    + "{'number':'4010','column':'note','was':'','value':'y'}],"
                    + "'gone':[{'number':'4020','stamp':'stamp'}]},"
                    + "'rows':['4010','4010'],'wrong':['nor this',null,true,false],'after':[null,true,false],'left':0}"
                ).Replace('\'', '"')
            );
    }

    [Fact]
    public void What_was_changed_while_a_save_was_on_its_way_waits_for_the_next()
    {
        Run(
                "pending",
                """
                const p = new m.Pending();
                p.put('4010', 'name', 'Sales', 'Sales of gauges');
                p.put('4010', 'note', 'old', 'new');
                p.put('4012', 'name', 'A', 'B');
                p.put('4012', 'number', '4012', '4013');
                p.put('new:1', 'name', '', 'Hail');
                p.put('new:2', 'name', '', 'Gone');
                p.drop('4020', 'stamp');
                const sent = p.content();
                p.put('4010', 'name', 'Sales', 'Sales of rain gauges');
                p.put('4010', 'note', 'old', 'old');
                p.put('4012', 'name', 'A', 'C');
                p.put('new:1', 'note', '', 'late');
                p.put('new:3', 'name', '', 'Sleet');
                p.put('4099', 'name', 'X', 'Y');
                p.drop('new:2', null);
                p.drop('4021', 'later');
                p.taken(sent, new Map([['new:1', '4030'], ['new:2', '4031'], ['4012', '4013']]));
                const after = p.content();
                p.taken(after);
                const left = p.count;
                // Numbers that are exchanged, and something typed in both rows meanwhile.
                p.put('1', 'name', '', 'was 1');
                p.put('2', 'name', '', 'was 2');
                p.taken({ edits: [], gone: [] }, new Map([['1', '2'], ['2', '1']]));
                const swapped = p.content().edits.map((e) => `${e.number}:${e.value}`);
                return { after, left, swapped };
                """
            )
            .ShouldBe(
                (
                    "{'after':{'edits':["
                    + "{'number':'4010','column':'name','was':'Sales of gauges','value':'Sales of rain gauges'},"
                    + "{'number':'4013','column':'name','was':'B','value':'C'},"
                    + "{'number':'4030','column':'note','was':'','value':'late'},"
                    + "{'number':'new:3','column':'name','was':'','value':'Sleet'},"
                    + "{'number':'4099','column':'name','was':'X','value':'Y'},"
                    + "{'number':'4010','column':'note','was':'new','value':'old'}],"
                    + "'gone':[{'number':'4021','stamp':'later'}]},'left':0,"
                    + "'swapped':['2:was 1','1:was 2']}"
                ).Replace('\'', '"')
            );
    }

    [Fact]
    public void Keys_are_a_table_and_each_has_one_act()
    {
        const string press = """
            const at = (more) => ({ column: 'name', number: '4010', folds: false, may: true, hold: true, ...more });
            const press = (key, mods = {}, where = {}) => m.actOf({ key, ctrlKey: false, metaKey: false, altKey: false,
              shiftKey: false, ...mods }, at(where));
            """;
        Run(
                "keys",
                press
                    + """
                    const ctrl = { ctrlKey: true }, shift = { shiftKey: true }, alt = { altKey: true };
                    return [
                      press('z', ctrl), press('Z', { ...ctrl, ...shift }), press('y', ctrl), press('c', ctrl),
                      press('ArrowDown'), press('ArrowDown', shift), press('ArrowRight', alt), press('x', alt),
                      press('Enter'), press('Enter', {}, { column: 'number' }), press('b', {}, { column: 'number' }),
                      press('b'), press('-', {}, { folds: true }), press('-'), press('Delete'),
                      press('Delete', {}, { may: false }), press('Insert', {}, { hold: false }),
                      press('?'), press('F8'),
                      press('z', ctrl, { may: false }), press(' ', shift), press(' '), press('Home'),
                      press('Home', ctrl),
                    ];
                    """
            )
            .ShouldBe(
                JsonSerializer.Serialize(
                    new string?[]
                    {
                        "undo",
                        "redo",
                        "redo",
                        null,
                        "down",
                        "extendDown",
                        "inward",
                        null,
                        "edit",
                        "open",
                        "beside",
                        "type",
                        "fold",
                        "type",
                        "empty",
                        null,
                        null,
                        null,
                        null,
                        null,
                        "toggle",
                        null,
                        "first",
                        "top",
                    }
                )
            );
    }

    [Fact]
    public void Drawing_folds_marks_and_gives_cells_back_what_they_said()
    {
        Run(
                "draw",
                """
                const row = (number, level, text, folds) => {
                  const r = document.createElement('tr');
                  r.dataset.number = number;
                  r.setAttribute('aria-level', level);
                  if (folds) r.setAttribute('aria-expanded', 'true');
                  const c = document.createElement('td');
                  c.dataset.column = 'name';
                  c.innerHTML = text;
                  r.append(c);
                  return r;
                };
                const { Pending } = await import('/js/grid/pending.js');
                const rows = [row('1', 1, '<b>One</b>', true), row('2', 2, 'Two', true), row('3', 3, 'Three'),
                  row('4', 1, 'Four')];
                const pending = new Pending();
                const drawing = new m.Drawing();
                const said = (more) => {
                  drawing.rows(rows, { pending, selected: new Set(), folded: new Set(), ...more });
                  return rows.map((r) => [r, r.cells[0]])
                    .map(([r, c]) => `${r.hidden ? '-' : ''}${c.innerHTML}${c.className}`).join('|');
                };
                const plain = said();
                const folded = said({ folded: new Set(['1']) });
                pending.put('1', 'name', 'One', 'Uno');
                const waits = said();
                pending.refuse([{ number: '1', column: 'name', message: 'taken' }], () => true);
                const wrong = said() + rows[0].cells[0].title + rows[0].cells[0].getAttribute('aria-invalid');
                pending.clear();
                return { plain, folded, waits, wrong, back: said() };
                """
            )
            .ShouldBe(
                "{\"plain\":\"<b>One</b>|Two|Three|Four\",\"folded\":\"<b>One</b>|-Two|-Three|Four\","
                    + "\"waits\":\"Unopending|Two|Three|Four\",\"wrong\":\"Unopending wrong|Two|Three|Fourtakentrue\","
                    + "\"back\":\"<b>One</b>|Two|Three|Four\"}"
            );
    }

    [Fact]
    public void The_wire_says_what_is_wrong_where_no_answer_is_ours_and_hears_only_the_last_question()
    {
        Run(
                "wire",
                """
                const asked = [];
                let answer = () => new Response('<html>', { status: 502, headers: { 'content-type': 'text/html' } });
                window.fetch = async (address, request) => {
                  asked.push([address, request.headers['X-Form-Token'], request.body]);
                  return answer();
                };
                const wire = new m.Wire(() => 'token');
                const away = await wire.send('/edit', { a: 1 });
                answer = () => { throw new TypeError('no way there'); };
                const none = [(await wire.send('/edit')).faults.length, await wire.look('/look', {}, 0)];
                answer = () => Response.json({ change: 7, rows: 1 });
                const sent = await wire.send('/edit');
                answer = () => new Response('<p>seen</p>', { headers: { 'content-type': 'text/html' } });
                const both = await Promise.all([wire.look('/look', {}, 5), wire.look('/look', {}, 5)]);
                const memory = new m.Memory('E');
                memory.keep('redo', [1]);
                memory.made(7);
                const kept = [memory.list('undo'), memory.list('redo')];
                sessionStorage.clear();
                return { away: [away.ok, away.faults.length], none, sent, both, times: asked.length, first: asked[0],
                  kept };
                """
            )
            .ShouldBe(
                "{\"away\":[false,1],\"none\":[1,\"\"],\"sent\":{\"ok\":true,\"change\":7,\"rows\":1},\"both\":[null,\"<p>seen</p>\"],"
                    + "\"times\":5,\"first\":[\"/edit\",\"token\",\"{\\\"a\\\":1}\"],\"kept\":[[7],[]]}"
            );
    }

    [Fact]
    public void Where_no_answer_comes_it_is_said_once_and_is_over_with_the_next_that_comes()
    {
        Run(
                "../ask",
                """
                const said = () => [...document.querySelectorAll('#told')].map((t) => t.textContent.split('.')[0]);
                const moment = () => new Promise((done) => { setTimeout(done, 600); });
                let answer = () => { throw new TypeError('no way there'); };
                window.fetch = async () => answer();
                const none = await Promise.all([m.ask('/a'), m.ask('/b')]);
                const all = [none.map((a) => [a.ok, a.status]), said()];
                await moment();
                all.push(said());
                answer = () => new Response(null, { status: 422 });
                await m.ask('/a');
                all.push(said());
                answer = () => new Response(null, { status: 401 });
                await m.ask('/a');
                await moment();
                all.push(said());
                document.dispatchEvent(new CustomEvent('htmx:responseError', { detail: { xhr: { status: 404 } } }));
                all.push(said());
                return all;
                """
            )
            .ShouldBe(
                "[[[false,503],[false,503]],[],[\"The server does not answer just now\"],[],"
                    + "[\"Your session has ended\"],[]]"
            );
    }

    [Fact]
    public void A_cell_is_a_list_where_it_has_words_and_ends_once()
    {
        Run(
                "choice",
                """
                document.body.innerHTML = '<table><tr><td id="c">revenue</td></tr></table>';
                const cell = document.getElementById('c');
                const ends = [];
                const open = (more) => m.edit(cell, { label: 'class of 4010', words: [], value: 'revenue',
                  end: (...all) => ends.push(all), ...more });
                const press = (key, more = {}) => document.getElementById('grid-field')
                  .dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }));
                open({});
                document.getElementById('grid-field').value = 'other';
                press('Enter'); 
                open({ words: ['asset', 'operating-cost', 'other-cost'], typed: 'o' });
                press('t');
                press('Tab', { shiftKey: true });
                open({});
                press('Escape');
                return { ends, cell: cell.innerHTML, word: m.spelled(['operating-cost'], 'operating c') };
                """
            )
            .ShouldBe(
                (
                    "{'ends':[[true,'other','Enter'],[true,'other-cost','BackTab'],[false,'revenue','Escape']],"
                    + "'cell':'revenue','word':'operating-cost'}"
                ).Replace('\'', '"')
            );
    }
}
