using Rhabdon.Figures;

// Rhabdon.Figures [faces N | drawn N [from] | cleaves N | traces N | fuzz N | schedule [instance]] [--talk]: how well the judgement works on simulated pictures and traces, how fast, and what damaged input does to it.
var talk = args.Contains("--talk");
var count = args.Length > 1 && int.TryParse(args[1], out var n) ? n : 400;
if (args is [] or ["faces", ..])
{
    Faces.Simulated(count, talk);
    Faces.Drawn(count, talk);
    Faces.Time(30);
}

if (args is ["drawn", ..])
{
    // Another first seed gives faces that nobody has looked at.
    Faces.Drawn(count, talk, args.Length > 2 && int.TryParse(args[2], out var from) ? from : 0);
}

if (args is [] or ["cleaves", ..])
{
    SideViews.Run(count, talk);
}

if (args is [] or ["traces", ..])
{
    Traces.Run(count, talk);
    Traces.Snr = 5;
    Traces.Run(count, talk);
    Traces.Time(200);
}

if (args is ["schedule", ..])
{
    Schedules.Run(args.Length > 1 ? args[1] : "tests/data/schedules/week-288.json");
    return;
}

if (args is [] or ["fuzz", ..])
{
    Fuzz.Run(args is [] ? 20_000 : count);
}
