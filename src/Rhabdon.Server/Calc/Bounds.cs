using System.Diagnostics;
using System.Runtime.InteropServices;
using Rhabdon.Core;
using Rhabdon.Server.Web;

namespace Rhabdon.Server.Calc;

/// <summary>No calculator takes more of the server than this, whatever it is asked; what needs longer runs outside the request.</summary>
internal static partial class Bounds
{
    public static readonly TimeSpan Processor = TimeSpan.FromSeconds(2);

    public const long Bytes = 64 * 1024 * 1024;

    /// <summary>Puts every calculator within its bounds.</summary>
    public static RouteGroupBuilder BoundCalculators(this RouteGroupBuilder api)
    {
        api.AddEndpointFilter(async (call, next) => call.HttpContext.Request.Path.StartsWithSegments("/api/calc")
            ? await Effort.Within(new Meter().Spend, async () => await next(call))
            : await next(call));
        return api;
    }

    /// <summary>Adds up what a calculation takes of the processor and the memory, on whichever threads it runs.</summary>
    private sealed class Meter
    {
        private const int ThreadCpuTime = 3;

        private int _thread;
        private TimeSpan _at, _taken;
        private long _bytesAt, _bytes;

        /// <exception cref="ApiException">A bound is reached; it is named.</exception>
        public void Spend()
        {
            var (thread, now, bytes) = (Environment.CurrentManagedThreadId, OfThread(), GC.GetAllocatedBytesForCurrentThread());
            if (thread == _thread)
            {
                _taken += now - _at;
                _bytes += bytes - _bytesAt;
            }

            (_thread, _at, _bytesAt) = (thread, now, bytes);
            if (_taken > Processor)
            {
                throw new ApiException(422, Refusal.Of("too-much-time", "request", ("mostS", Processor.TotalSeconds)));
            }

            if (_bytes > Bytes)
            {
                throw new ApiException(422, Refusal.Of("too-much-memory", "request", ("mostMb", Bytes / 1024 / 1024)));
            }
        }

        private static TimeSpan OfThread() => ClockGetTime(ThreadCpuTime, out var t) == 0 ? TimeSpan.FromSeconds(t.Seconds) + TimeSpan.FromTicks(t.Nanoseconds / TimeSpan.NanosecondsPerTick) : Stopwatch.GetElapsedTime(0);
    }

    [StructLayout(LayoutKind.Sequential)]
    private readonly struct TimeSpec
    {
        public readonly long Seconds, Nanoseconds;
    }

    [LibraryImport("libc", EntryPoint = "clock_gettime")]
    private static partial int ClockGetTime(int clock, out TimeSpec time);
}
