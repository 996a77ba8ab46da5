namespace Rhabdon.Core.Scheduling;

/// <summary>
/// A plan in one pass: tasks in an order, each as soon as hands and tools are there for it. In the order of what is due it is what one begins with;
/// with other orders and with hands given beforehand it is tried many thousand times (<see cref="WeekSearch"/>), so that all of it is in numbers.
/// </summary>
internal sealed class FirstPlan
{
    private const int Never = int.MaxValue, MostTries = 5000;

    private readonly WeekProblem _problem;
    private readonly Slot[][] _hours;
    private readonly int[][] _fit, _after;
    private readonly (int Minutes, bool Attended, int[] Tools)[][] _stretches;
    /// <summary>By task, stretch and person, where somebody has a pace of their own.</summary>
    private readonly int[][][]? _own;
    private readonly int[] _place, _count, _minutes, _firstBlock, _longest;
    private readonly (int Task, int From, int To)[] _blocks;
    private readonly int[,] _way;
    private readonly int _mostWay;
    private readonly int _work;
    private readonly bool _wishes;
    private readonly List<(int From, int To, int Place)>[] _hands;
    private readonly List<Slot>[] _tools;
    private readonly int[] _load;
    private readonly Slot[][] _spans;
    private readonly int[][] _group;
    private readonly int[] _end;
    private readonly bool[] _placed;
    private readonly int[] _one = new int[1];
    private Slot[] _found = new Slot[WeekProblem.MostStretches], _kept = new Slot[WeekProblem.MostStretches];

    public FirstPlan(WeekProblem problem)
    {
        _problem = problem;
        var people = problem.People.Index().ToDictionary(p => p.Item.Id, p => p.Index);
        var tools = problem.Tools.Index().ToDictionary(t => t.Item.Kind, t => t.Index);
        var tasks = problem.Tasks.Index().ToDictionary(t => t.Item.Id, t => t.Index);
        var places = problem.Tasks.Select(t => t.Place).OfType<string>().Distinct().Index().ToDictionary(p => p.Item, p => p.Index);
        _hours = [.. problem.People.Select(p => p.Hours.OrderBy(h => h.From).ToArray())];
        _fit = [.. problem.Tasks.Select(t => problem.Fit(t).Select(p => people[p.Id]).ToArray())];
        _after = [.. problem.Tasks.Select(t => (t.After ?? []).Select(a => tasks[a]).ToArray())];
        _stretches = [.. problem.Tasks.Select(t => t.Stretches.Select(s => (s.Minutes, s.Attended, s.Needs().Select(n => tools[n]).ToArray())).ToArray())];
        _own = problem.People.Any(p => p.Paces?.Count > 0) ? [.. problem.Tasks.Select(t => t.Stretches.Select(s => problem.People.Select(p => WeekProblem.Minutes(p, t, s)).ToArray()).ToArray())] : null;
        _longest = [.. problem.Tools.Select(x => problem.Tasks.SelectMany(t => t.Stretches.Where(s => s.Needs().Contains(x.Kind)).SelectMany(s => problem.People.Select(p => WeekProblem.Minutes(p, t, s)).Append(s.Minutes))).DefaultIfEmpty(0).Max())];
        _work = Math.Max(1, _stretches.Sum(s => s.Sum(x => x.Minutes)));
        _minutes = [.. _stretches.Select(s => s.Sum(x => x.Minutes))];
        _place = [.. problem.Tasks.Select(t => t.Place is { } place ? places[place] : -1)];
        _count = [.. problem.Tools.Select(t => t.Count)];
        _wishes = problem.Tasks.Any(t => t.Pin?.Start is not null);
        _way = new int[places.Count, places.Count];
        foreach (var t in problem.Travel.Where(t => places.ContainsKey(t.From) && places.ContainsKey(t.To)))
        {
            _way[places[t.From], places[t.To]] = _way[places[t.To], places[t.From]] = t.Minutes;
            _mostWay = Math.Max(_mostWay, t.Minutes);
        }

        var blocks = new List<(int Task, int From, int To)>();
        _firstBlock = new int[_stretches.Length + 1];
        foreach (var (t, all) in _stretches.Index())
        {
            _firstBlock[t] = blocks.Count;
            for (var (i, from) = (1, 0); i <= all.Length; i++)
            {
                // What lies in an oven goes in at once: it is no block of its own.
                if (i == all.Length || all[i].Attended)
                {
                    blocks.Add((t, from, i));
                    from = i;
                }
            }
        }

        _firstBlock[^1] = blocks.Count;
        _blocks = [.. blocks];
        _placed = new bool[_blocks.Length];
        _hands = [.. problem.People.Select(_ => new List<(int, int, int)>())];
        _tools = [.. problem.Tools.Select(_ => new List<Slot>())];
        _load = new int[problem.People.Count];
        _spans = [.. _stretches.Select(s => new Slot[s.Length])];
        _group = new int[_stretches.Length][];
        _end = new int[_stretches.Length];
    }

    public int Tasks => _end.Length;

    /// <summary>What is placed as one: a stretch with what follows it by itself.</summary>
    public int Blocks => _blocks.Length;

    public int TaskOf(int block) => _blocks[block].Task;

    public IEnumerable<int> BlocksOf(int task) => Enumerable.Range(_firstBlock[task], _firstBlock[task + 1] - _firstBlock[task]);

    public int FirstStretch(int block) => _blocks[block].From;

    /// <summary>Who may do a task, by number.</summary>
    public ReadOnlySpan<int> Fit(int task) => _fit[task];

    /// <summary>Of all tasks together, as they lie now.</summary>
    public int Late { get; private set; }

    public int Finish { get; private set; }

    /// <summary>When each of those who have work is done, summed up: less of it is more room, where two plans are done alike.</summary>
    public long Ends { get; private set; }

    /// <summary>When the work is done on average, each minute of it alike: what is short gains nothing by going first, only idle hands cost.</summary>
    public double Mean { get; private set; }

    /// <summary>When a task is done, as they lie now.</summary>
    public int End(int task) => _end[task];

    /// <param name="order">Of blocks by number; what has to be done before one is placed before it all the same.</param>
    /// <param name="prefers">Whose a task is; -1 for whoever is done with it first.</param>
    /// <returns>False where a task finds nobody or no time, as it may with wishes in the way.</returns>
    public bool Make(ReadOnlySpan<int> order, ReadOnlySpan<int> prefers)
    {
        foreach (var list in _hands)
        {
            list.Clear();
        }

        foreach (var list in _tools)
        {
            list.Clear();
        }

        Array.Clear(_load);
        Array.Clear(_placed);
        Array.Fill(_end, -1);
        // What somebody asked for at a time stands there first.
        for (var wished = 0; wished < 2; wished++)
        {
            foreach (var b in order)
            {
                if (_problem.Tasks[_blocks[b].Task].Pin?.Start is null == (wished == 1) && !_placed[b] && !Put(b, prefers))
                {
                    return false;
                }
            }
        }

        (Late, Finish) = (0, 0);
        var sum = 0.0;
        for (var t = 0; t < _end.Length; t++)
        {
            Finish = Math.Max(Finish, _end[t]);
            sum += (double)_end[t] * _minutes[t];
            Late += _problem.Tasks[t].Due is { } due ? Math.Max(0, _end[t] - due) : 0;
        }

        Mean = sum / _work;
        Ends = 0;
        foreach (var h in _hands)
        {
            Ends += h.Count == 0 ? 0 : h[^1].To;
        }

        return true;
    }

    /// <summary>What was made last, with names.</summary>
    public IReadOnlyList<PlannedTask> Read() =>
        [.. _problem.Tasks.Select((t, i) => new PlannedTask(t.Id, [.. _group[i].Select(p => _problem.People[p].Id)], [.. _spans[i]], t.Due is { } due ? Math.Max(0, _end[i] - due) : 0))];

    /// <summary>One where nothing else is asked: by what is due.</summary>
    public IReadOnlyList<PlannedTask>? ByDue() => Make([.. InOrder()], [.. Enumerable.Repeat(-1, Tasks)]) ? Read() : null;

    public IEnumerable<int> InOrder()
    {
        var at = _problem.Tasks.Index().ToDictionary(t => t.Item.Id, t => t.Index);
        return _problem.InOrder()!.SelectMany(t => BlocksOf(at[t.Id]));
    }

    private bool Put(int block, ReadOnlySpan<int> prefers)
    {
        var (t, i, to) = _blocks[block];
        var task = _problem.Tasks[t];
        var from = task.From;
        if (i > 0)
        {
            if (!_placed[block - 1] && !Put(block - 1, prefers))
            {
                return false;
            }

            from = _spans[t][i - 1].To;
        }
        else
        {
            foreach (var a in _after[t])
            {
                // A wish is not held up by what it comes after: whether both can be is seen when that is placed.
                for (var b = _firstBlock[a]; b < _firstBlock[a + 1] && task.Pin?.Start is null; b++)
                {
                    if (!_placed[b] && !Put(b, prefers))
                    {
                        return false;
                    }
                }

                from = Math.Max(from, _end[a]);
            }
        }

        var wish = i == 0 ? task.Pin?.Start : null;
        if (wish < from)
        {
            return false;
        }

        var end = Never;
        if (i > 0)
        {
            end = Place(t, i, to, _group[t], from, null);
            (_found, _kept) = (_kept, _found);
        }
        else if (task.Hands == 1)
        {
            var (best, load) = (-1, 0);
            foreach (var p in _fit[t])
            {
                if (prefers[t] >= 0 && p != prefers[t])
                {
                    continue;
                }

                _one[0] = p;
                if (Place(t, i, to, _one, from, wish) is var e && e != Never && (e < end || (e == end && _load[p] < load)))
                {
                    (best, end, load) = (p, e, _load[p]);
                    (_found, _kept) = (_kept, _found);
                }
            }

            _group[t] = [best];
        }
        else if (_fit[t].Length >= task.Hands)
        {
            // The least loaded first: all groups of many would be too many.
            _group[t] = [.. _fit[t].OrderBy(p => _load[p]).Take(task.Hands)];
            end = Place(t, i, to, _group[t], from, wish);
            (_found, _kept) = (_kept, _found);
        }

        if (end == Never)
        {
            return false;
        }

        for (var n = i; n < to; n++)
        {
            var (span, s) = (_kept[n - i], _stretches[t][n]);
            _spans[t][n] = span;
            foreach (var p in s.Attended ? _group[t] : [])
            {
                var busy = _hands[p];
                var at = busy.Count;
                while (at > 0 && busy[at - 1].From > span.From)
                {
                    at--;
                }

                busy.Insert(at, (span.From, span.To, _place[t]));
                _load[p] += span.To - span.From;
            }

            foreach (var tool in s.Tools)
            {
                _tools[tool].Insert(At(_tools[tool], span.From), span);
            }
        }

        _placed[block] = true;
        if (to < _stretches[t].Length)
        {
            return true;
        }

        _end[t] = end;
        if (_wishes)
        {
            // What comes after it, and was placed before because somebody asked for it, does not begin before its end.
            for (var other = 0; other < _after.Length; other++)
            {
                if (_placed[_firstBlock[other]] && _spans[other][0].From < end && _after[other].Contains(t))
                {
                    return false;
                }
            }
        }

        return true;
    }

    /// <returns>When that part of the task is done, and where it lies in <see cref="_found"/>; never: no time is found.</returns>
    private int Place(int t, int i, int to, ReadOnlySpan<int> group, int from, int? wish)
    {
        var start = wish ?? from;
        for (var tries = 0; tries < MostTries; tries++)
        {
            var next = Try(t, i, to, group, start);
            if (next == start)
            {
                return _found[to - i - 1].To;
            }

            if (next == Never || wish is not null)
            {
                return Never;
            }

            start = next;
        }

        return Never;
    }

    /// <returns>That minute where it can be from there; else the first at which it may.</returns>
    private int Try(int t, int i, int to, ReadOnlySpan<int> group, int start)
    {
        var at = start;
        for (var n = i; n < to; n++)
        {
            var s = _stretches[t][n];
            var (free, minutes) = (at, s.Attended && group.Length == 1 && _own is not null ? _own[t][n][group[0]] : s.Minutes);
            if (s.Attended)
            {
                foreach (var p in group)
                {
                    free = Math.Max(free, Free(p, _place[t], at, minutes));
                }
            }

            for (var k = 0; k < s.Tools.Length && free == at; k++)
            {
                free = FreeTool(s.Tools[k], at, minutes);
            }

            if (free != at)
            {
                return free == Never ? Never : start + (free - at);
            }

            _found[n - i] = new(at, at + minutes);
            at += minutes;
        }

        return start;
    }

    /// <summary>The first minute from there at which these hands are free for so long.</summary>
    private int Free(int person, int place, int from, int minutes)
    {
        var busy = _hands[person];
        var hours = _hours[person];
        var (k, behind) = (0, hours.Length);
        while (k < behind)
        {
            var middle = (k + behind) / 2;
            (k, behind) = hours[middle].To >= from + minutes ? (k, middle) : (middle + 1, behind);
        }

        // They do not lie on each other: what ends early begins early.
        var (n, high) = (0, busy.Count);
        while (n < high)
        {
            var middle = (n + high) / 2;
            (n, high) = busy[middle].To + _mostWay > from ? (n, middle) : (middle + 1, high);
        }

        for (; k < hours.Length; k++)
        {
            var at = Math.Max(from, hours[k].From);
            for (var j = n; j < busy.Count && busy[j].From < at + minutes + _mostWay && at + minutes <= hours[k].To; j++)
            {
                var way = place < 0 || busy[j].Place < 0 ? 0 : _way[place, busy[j].Place];
                if (at < busy[j].To + way && busy[j].From < at + minutes + way)
                {
                    at = busy[j].To + way;
                }
            }

            if (at + minutes <= hours[k].To)
            {
                return at;
            }
        }

        return Never;
    }

    private int FreeTool(int kind, int from, int minutes)
    {
        var count = _count[kind];
        if (count == 0)
        {
            return Never;
        }

        var busy = _tools[kind];
        for (var at = from; ;)
        {
            var (over, first, begin) = (0, Never, At(busy, at - _longest[kind]));
            for (var n = begin; n < busy.Count && busy[n].From < at + minutes; n++)
            {
                if (at < busy[n].To)
                {
                    (over, first) = (over + 1, Math.Min(first, busy[n].To));
                }
            }

            if (over < count || MostAt(busy, begin, at, minutes) < count)
            {
                return at;
            }

            at = first;
        }
    }

    /// <summary>The first of them that begins at that minute or later.</summary>
    private static int At(List<Slot> sorted, int from)
    {
        var (low, high) = (0, sorted.Count);
        while (low < high)
        {
            var middle = (low + high) / 2;
            (low, high) = sorted[middle].From >= from ? (low, middle) : (middle + 1, high);
        }

        return low;
    }

    /// <summary>The most at any one moment of it.</summary>
    private static int MostAt(List<Slot> busy, int begin, int from, int minutes)
    {
        var most = 0;
        for (var n = begin; n < busy.Count && busy[n].From < from + minutes; n++)
        {
            if (from < busy[n].To)
            {
                var (moment, there) = (Math.Max(busy[n].From, from), 0);
                for (var o = begin; o < busy.Count && busy[o].From <= moment; o++)
                {
                    there += moment < busy[o].To ? 1 : 0;
                }

                most = Math.Max(most, there);
            }
        }

        return most;
    }
}
