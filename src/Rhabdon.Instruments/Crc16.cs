
namespace Rhabdon.Instruments;

/// <summary>CRC-16 with the polynomial 0x1021 and all ones at the start, as SR-4731 asks. Eight bytes at a time.</summary>
public static class Crc16
{
    private static readonly ushort[][] Tables = MakeTables();

    public static ushort Of(ReadOnlySpan<byte> bytes, ushort start = 0xFFFF)
    {
        var crc = start;
        var (t0, t1, t2, t3, t4, t5, t6, t7) = (Tables[0], Tables[1], Tables[2], Tables[3], Tables[4], Tables[5], Tables[6], Tables[7]);
        while (bytes.Length >= 8)
        {
            crc = (ushort)(t7[bytes[0] ^ (crc >> 8)] ^ t6[bytes[1] ^ (crc & 0xFF)] ^ t5[bytes[2]] ^ t4[bytes[3]] ^ t3[bytes[4]] ^ t2[bytes[5]] ^ t1[bytes[6]] ^ t0[bytes[7]]);
            bytes = bytes[8..];
        }

        foreach (var b in bytes)
        {
            crc = (ushort)((crc << 8) ^ t0[(crc >> 8) ^ b]);
        }

        return crc;
    }

    private static ushort[][] MakeTables()
    {
        var tables = new ushort[8][];
        for (var k = 0; k < 8; k++)
        {
            tables[k] = new ushort[256];
            for (var i = 0; i < 256; i++)
            {
                if (k == 0)
                {
                    var crc = i << 8;
                    for (var bit = 0; bit < 8; bit++)
                    {
                        crc = (crc & 0x8000) != 0 ? (crc << 1) ^ 0x1021 : crc << 1;
                    }

                    tables[0][i] = (ushort)crc;
                }
                else
                {
                    var before = tables[k - 1][i];
                    tables[k][i] = (ushort)((before << 8) ^ tables[0][before >> 8]);
                }
            }
        }

        return tables;
    }
}
