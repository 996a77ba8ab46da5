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

/// <summary>
/// From the first pass over each rung of the ladder to a new connector, with which all begins again: an absorbing chain whose way is always the same, so that
/// the number of tries says all that was spent. Shown by hand in docs/numbers.md.
/// </summary>
/// <param name="FirstPass">That a connector is accepted without a retry.</param>
/// <param name="NewConnectorMinutes">What it takes to begin again once the last rung has failed;</param>
/// <param name="NewConnectorSlackMm">and what of the slack.</param>
/// <param name="Shards">That each connector leaves on its first pass.</param>
public sealed record ReworkModel(double FirstPass, IReadOnlyList<Rung> Rungs, double NewConnectorMinutes, double NewConnectorSlackMm, double Shards = 0)
{
    private const int MostRungs = 12, MostTries = 20;

    /// <summary>Where hardly one connector in a hundred is ever good, nothing is to be planned.</summary>
    private const double LeastGood = 0.01;

    /// <summary>One try after the other until the connector is given up.</summary>
    private IEnumerable<Rung> Tries => Rungs.SelectMany(r => Enumerable.Repeat(r, r.Tries)).Prepend(new(FirstPass, Shards: Shards));

    /// <summary>That a connector is never good, whatever the ladder does.</summary>
    public double GivenUp => Tries.Aggregate(1.0, (left, t) => left * (1 - t.Success));

    /// <summary>Tries of one accepted end, the first pass among them.</summary>
    public double ExpectedAttempts => PerEnd(_ => 1, 0);

    public double ExpectedConnectors => PerEnd(t => t.NewConnector ? 1 : 0, 1) + 1;

    public double ExpectedReworkMinutes => PerEnd(t => t.Minutes, NewConnectorMinutes);

    public double ExpectedSlackMm => PerEnd(t => t.SlackMm, NewConnectorSlackMm);

    public Spent Expected => new(ExpectedAttempts, ExpectedConnectors, ExpectedReworkMinutes, PerEnd(t => t.Shards, 0), ExpectedSlackMm);

    /// <summary>What is spent on one accepted end: for each try that is come to, and for each time that all begins again.</summary>
    private double PerEnd(Func<Rung, double> spent, double again)
    {
        var (come, sum) = (1.0, 0.0);
        foreach (var t in Tries)
        {
            sum += come * spent(t);
            come *= 1 - t.Success;
        }

        return (sum + (come * again)) / (1 - come);
    }

    /// <summary>What is enough for one end with this confidence: all of it grows with each try, so that the same try bounds all.</summary>
    public Spent Enough(double confidence)
    {
        var (left, spent) = (1.0, new Spent(0, 1, 0, 0, 0));
        while (true)
        {
            foreach (var t in Tries)
            {
                spent = new(spent.Attempts + 1, spent.Connectors + (t.NewConnector ? 1 : 0), spent.ReworkMinutes + t.Minutes, spent.Shards + t.Shards, spent.SlackMm + t.SlackMm);
                left *= 1 - t.Success;
                if (1 - left >= confidence - 1e-12)
                {
                    return spent;
                }
            }

            spent = spent with { Connectors = spent.Connectors + 1, ReworkMinutes = spent.ReworkMinutes + NewConnectorMinutes, SlackMm = spent.SlackMm + NewConnectorSlackMm };
            Effort.Spend(1);
        }
    }

    /// <summary>That an end which has so much slack can no longer be worked before it is accepted.</summary>
    public double OutOfSlack(double slackMm)
    {
        var (left, spent) = (1.0, 0.0);
        if (slackMm < 0)
        {
            return 1;
        }

        while (left > 1e-15)
        {
            var before = spent;
            foreach (var t in Tries)
            {
                spent += t.SlackMm;
                if (spent > slackMm + 1e-9)
                {
                    return left;
                }

                left *= 1 - t.Success;
            }

            spent += NewConnectorSlackMm;
            if (spent > slackMm + 1e-9)
            {
                return left;
            }

            if (spent <= before)
            {
                return 0; // nothing of it costs slack
            }

            Effort.Spend(1);
        }

        return 0;
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
        var most = 1 + Tries.Count(t => t.NewConnector);
        var (good, given, come, taken) = (new double[most + 1], new double[most + 1], 1.0, 1);
        foreach (var t in Tries)
        {
            taken += t.NewConnector ? 1 : 0;
            good[taken] += come * t.Success;
            come *= 1 - t.Success;
        }

        given[taken] = come;
        return (good, given, most);
    }

    private static System.Numerics.Complex At(double[] powers, System.Numerics.Complex z) =>
        powers.Reverse().Aggregate(System.Numerics.Complex.Zero, (sum, p) => (sum * z) + p);

    /// <exception cref="RefusedException">Such a ladder cannot be; each figure by its field.</exception>
    internal void Check(Figures figures)
    {
        figures.Within("firstPass", FirstPass, 0, 1).Within("newConnectorMinutes", NewConnectorMinutes, 0, 1e4).Within("newConnectorSlackMm", NewConnectorSlackMm, 0, 1e5).Within("shards", Shards, 0, 100)
            .Require(Rungs.Count <= MostRungs, Refusal.Of("figure-range", "rungs", ("least", 0), ("most", MostRungs)));
        foreach (var (i, r) in Rungs.Take(MostRungs).Index())
        {
            figures.Within($"rungs[{i}].success", r.Success, 0, 1).Within($"rungs[{i}].tries", r.Tries, 1, MostTries)
                .Within($"rungs[{i}].minutes", r.Minutes, 0, 1e4).Within($"rungs[{i}].slackMm", r.SlackMm, 0, 1e5).Within($"rungs[{i}].shards", r.Shards, 0, 100);
        }

        figures.ThrowIfBad();
        figures.Require(1 - GivenUp >= LeastGood, Refusal.Of("never-good", "firstPass"));
    }
}
