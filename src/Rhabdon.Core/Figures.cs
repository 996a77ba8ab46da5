namespace Rhabdon.Core;

/// <summary>Gathers what cannot be among the figures of a question, each by its field.</summary>
internal sealed class Figures
{
    private readonly List<Refusal> _faults = [];

    /// <param name="above">True where the least is not itself allowed.</param>
    public Figures Within(string field, double value, double least, double most, bool above = false)
    {
        if (!(value <= most && (above ? value > least : value >= least)))
        {
            _faults.Add(above
                ? Refusal.Of("figure-above", field, ("least", least), ("most", most))
                : Refusal.Of("figure-range", field, ("least", least), ("most", most)));
        }

        return this;
    }

    public Figures Require(bool holds, Refusal otherwise)
    {
        if (!holds)
        {
            _faults.Add(otherwise);
        }

        return this;
    }

    /// <exception cref="RefusedException">Something cannot be.</exception>
    public void ThrowIfBad()
    {
        if (_faults.Count > 0)
        {
            throw new RefusedException(_faults);
        }
    }
}
