namespace Rhabdon.Core.Kit;

/// <summary>A rung of a retry ladder, as a chance.</summary>
/// <param name="Success">That one try of it leads to an accepted end.</param>
/// <param name="Tries">How often it is tried before the next rung.</param>
/// <param name="NewConnector">Each try of it takes another connector.</param>
/// <param name="Shards">Of glass that each try of it leaves, to go into the container.</param>
public sealed record Rung(double Success, int Tries = 1, double Minutes = 0, double SlackMm = 0, bool NewConnector = false, double Shards = 0);

/// <summary>What one accepted end takes.</summary>
/// <param name="Attempts">Tries, the first pass among them.</param>
/// <param name="ReworkMinutes">Beyond the first pass.</param>
public sealed record Spent(double Attempts, double Connectors, double ReworkMinutes, double Shards, double SlackMm);

/// <summary>Where a connector that failed goes: the rungs of one check's ladder in turn, and after the last of them a new connector, with which all begins again.</summary>
/// <param name="Share">How many of those that fail do so at its check, against the other ladders' shares.</param>
/// <param name="NewConnectorMinutes">What it takes to begin again once the last rung has failed;</param>
/// <param name="NewConnectorSlackMm">and what of the slack.</param>
/// <param name="TakesConnector">False where the connector was not on the fiber yet: the one at hand serves for the next attempt.</param>
public sealed record RetryLadder(double Share, IReadOnlyList<Rung> Rungs, double NewConnectorMinutes, double NewConnectorSlackMm, bool TakesConnector = true)
{
    /// <summary>One try after the other until the connector is given up.</summary>
    internal IEnumerable<Rung> Tries => Rungs.SelectMany(r => Enumerable.Repeat(r, r.Tries));

    /// <summary>That a connector on it is never good.</summary>
    internal double GivenUp => Tries.Aggregate(1.0, (left, t) => left * (1 - t.Success));
}

/// <summary>
/// From the first pass over the ladder of the check that it failed at to a new connector, with which all begins again: an absorbing chain. Shown by hand in docs/numbers.md.
/// </summary>
/// <param name="FirstPass">That a connector is accepted without a retry.</param>
/// <param name="Shards">That each connector leaves on its first pass.</param>
public sealed record ReworkModel(double FirstPass, IReadOnlyList<RetryLadder> Ladders, double Shards = 0)
{
    private const int MostLadders = 20, MostRungs = 12, MostTries = 20;

    /// <summary>Where hardly one connector in a hundred is ever good, nothing is to be planned.</summary>
    private const double LeastGood = 0.01;

    /// <summary>Chances below this are left out of a spread.</summary>
    private const double Nothing = 1e-15;

    /// <summary>Each ladder with the chance that a connector comes to it.</summary>
    private IEnumerable<(RetryLadder Ladder, double Come)> Failed
    {
        get
        {
            var all = Ladders.Sum(l => l.Share);
            return Ladders.Select(l => (l, (1 - FirstPass) * l.Share / all));
        }
    }

    /// <summary>That a connector is never good, whatever the ladders do.</summary>
    public double GivenUp => Failed.Sum(f => f.Come * f.Ladder.GivenUp);

    /// <summary>Tries of one accepted end, the first pass among them.</summary>
    public double ExpectedAttempts => PerEnd(1, _ => 1, _ => 0);

    public double ExpectedConnectors => PerEnd(0, t => t.NewConnector ? 1 : 0, l => l.TakesConnector ? 1 : 0) + 1;

    public double ExpectedReworkMinutes => PerEnd(0, t => t.Minutes, l => l.NewConnectorMinutes);

    public double ExpectedSlackMm => PerEnd(0, t => t.SlackMm, l => l.NewConnectorSlackMm);

    public Spent Expected => new(ExpectedAttempts, ExpectedConnectors, ExpectedReworkMinutes, PerEnd(Shards, t => t.Shards, _ => 0), ExpectedSlackMm);

    /// <summary>What is spent on one accepted end: with each connector, for each try that is come to, and for each time that all begins again.</summary>
    private double PerEnd(double first, Func<Rung, double> spent, Func<RetryLadder, double> again)
    {
        var sum = first;
        foreach (var (ladder, comeToIt) in Failed)
        {
            var come = comeToIt;
            foreach (var t in ladder.Tries)
            {
                sum += come * spent(t);
                come *= 1 - t.Success;
            }

            sum += come * again(ladder);
        }

        return sum / (1 - GivenUp);
    }

    /// <summary>What is enough for one end with this confidence, of each for itself.</summary>
    public Spent Enough(double confidence) => new(
        Spread(1, _ => 1, _ => 0).Enough(confidence), Spread(0, t => t.NewConnector ? 1 : 0, l => l.TakesConnector ? 1 : 0).Enough(confidence) + 1, Spread(0, t => t.Minutes, l => l.NewConnectorMinutes).Enough(confidence),
        Spread(Shards, t => t.Shards, _ => 0).Enough(confidence), Slack().Enough(confidence));

    /// <summary>How much slack one accepted end takes.</summary>
    public Spread Slack() => Spread(0, t => t.SlackMm, l => l.NewConnectorSlackMm);

    private Spread Spread(double first, Func<Rung, double> spent, Func<RetryLadder, double> again)
    {
        var (begun, accepted) = (new SortedDictionary<double, double> { [first] = 1 }, new SortedDictionary<double, double>());
        while (begun.Count > 0)
        {
            var (at, chance) = begun.First();
            begun.Remove(at);
            Add(accepted, at, chance * FirstPass);
            foreach (var (ladder, come) in Failed)
            {
                var (sum, left) = (at, chance * come);
                foreach (var t in ladder.Tries)
                {
                    sum += spent(t);
                    Add(accepted, sum, left * t.Success);
                    left *= 1 - t.Success;
                }

                Add(begun, sum + again(ladder) + first, left);
            }

            Effort.Spend(Ladders.Count);
        }

        return new([.. accepted.Select(a => (a.Key, a.Value))]);

        static void Add(SortedDictionary<double, double> at, double amount, double chance)
        {
            if (chance > Nothing)
            {
                var key = Math.Round(amount, 6);
                at[key] = at.GetValueOrDefault(key) + chance;
            }
        }
    }

    /// <summary>How many connectors a number of ends takes, as chances from none up.</summary>
    /// <remarks>The generating function of one end is s(z) / (1 − f(z)), s and f those of a connector that is good in the end and of one that is given up; of n ends its
    /// n-th power, turned back by a discrete Fourier transform that is long enough for all that is left beyond it to be under 1e-15. Without rungs that take a
    /// connector it is the negative binomial.</remarks>
    public double[] Connectors(int ends)
    {
        var (good, given, most) = ByConnectors();
        var q = GivenUp;
        var spread = most * Math.Sqrt(ends * (1 + q)) / (1 - q);
        var reach = (ends * ExpectedConnectors) + (14 * spread) + (40.0 * most / (1 - q)) + 2;
        var size = 1 << (int)Math.Ceiling(Math.Log2(reach));
        if (size > MostSize)
        {
            throw new RefusedException(Refusal.Of("kit-too-large", "ends"));
        }

        var turn = new System.Numerics.Complex[size];
        for (var k = 0; k < size; k++)
        {
            var z = System.Numerics.Complex.FromPolarCoordinates(1, -2 * Math.PI * k / size);
            turn[k] = System.Numerics.Complex.Pow(At(good, z) / (1 - At(given, z)), ends);
            Effort.Spend(10);
        }

        MathNet.Numerics.IntegralTransforms.Fourier.Inverse(turn, MathNet.Numerics.IntegralTransforms.FourierOptions.NoScaling);
        return [.. turn.Select(c => Math.Max(0, c.Real / size))];
    }

    private const int MostSize = 1 << 19;

    /// <summary>Chances of a connector that is good in the end, and of one that is given up, by how many connectors that took.</summary>
    private (double[] Good, double[] Given, int Most) ByConnectors()
    {
        var most = 1 + Ladders.Select(l => l.Tries.Count(t => t.NewConnector)).DefaultIfEmpty().Max();
        var (good, given) = (new double[most + 1], new double[most + 1]);
        good[1] = FirstPass;
        foreach (var (ladder, comeToIt) in Failed)
        {
            var (come, taken) = (comeToIt, 1);
            foreach (var t in ladder.Tries)
            {
                taken += t.NewConnector ? 1 : 0;
                good[taken] += come * t.Success;
                come *= 1 - t.Success;
            }

            given[ladder.TakesConnector ? taken : taken - 1] += come; // what is at hand is counted with the next attempt
        }

        return (good, given, most);
    }

    private static System.Numerics.Complex At(double[] powers, System.Numerics.Complex z) =>
        powers.Reverse().Aggregate(System.Numerics.Complex.Zero, (sum, p) => (sum * z) + p);

    /// <param name="flat">The one ladder is named without its place.</param>
    /// <exception cref="RefusedException">Such ladders cannot be; each figure by its field.</exception>
    internal void Check(Figures figures, bool flat)
    {
        figures.Within("firstPass", FirstPass, 0, 1).Within("shards", Shards, 0, 100)
            .Require(Ladders.Count is >= 1 and <= MostLadders, Refusal.Of("figure-range", "ladders", ("least", 1), ("most", MostLadders)));
        foreach (var (k, l) in Ladders.Take(MostLadders).Index())
        {
            var at = flat ? "" : $"ladders[{k}].";
            figures.Within($"{at}share", l.Share, 0, 1e6, above: true).Within($"{at}newConnectorMinutes", l.NewConnectorMinutes, 0, 1e4).Within($"{at}newConnectorSlackMm", l.NewConnectorSlackMm, 0, 1e5)
                .Require(l.Rungs.Count <= MostRungs, Refusal.Of("figure-range", $"{at}rungs", ("least", 0), ("most", MostRungs)));
            foreach (var (i, r) in l.Rungs.Take(MostRungs).Index())
            {
                figures.Within($"{at}rungs[{i}].success", r.Success, 0, 1).Within($"{at}rungs[{i}].tries", r.Tries, 1, MostTries)
                    .Within($"{at}rungs[{i}].minutes", r.Minutes, 0, 1e4).Within($"{at}rungs[{i}].slackMm", r.SlackMm, 0, 1e5).Within($"{at}rungs[{i}].shards", r.Shards, 0, 100);
            }
        }

        figures.ThrowIfBad();
        figures.Require(1 - GivenUp >= LeastGood, Refusal.Of("never-good", "firstPass"));
    }
}

/// <summary>How much of something one accepted end takes, as chances by amount.</summary>
/// <param name="Chances">The least amount first.</param>
public sealed record Spread(IReadOnlyList<(double Amount, double Chance)> Chances)
{
    private readonly double[] beyond = Tails(Chances);

    /// <summary>The least amount that is enough with this confidence.</summary>
    public double Enough(double confidence)
    {
        var sum = 0.0;
        foreach (var (amount, chance) in Chances)
        {
            sum += chance;
            if (sum >= confidence - 1e-12)
            {
                return amount;
            }
        }

        return Chances[^1].Amount;
    }

    /// <summary>That it takes more than there is.</summary>
    public double Beyond(double amount)
    {
        if (amount < 0)
        {
            return 1;
        }

        var (low, high) = (0, Chances.Count);
        while (low < high)
        {
            var mid = (low + high) / 2;
            (low, high) = Chances[mid].Amount <= amount + 1e-6 ? (mid + 1, high) : (low, mid);
        }

        return beyond[low];
    }

    private static double[] Tails(IReadOnlyList<(double Amount, double Chance)> chances)
    {
        var tails = new double[chances.Count + 1];
        for (var i = chances.Count - 1; i >= 0; i--)
        {
            tails[i] = tails[i + 1] + chances[i].Chance;
        }

        return tails;
    }
}
