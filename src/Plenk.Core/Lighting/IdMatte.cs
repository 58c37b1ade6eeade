namespace Plenk.Core.Lighting;

/// <summary>
/// Who is seen in a pixel, and how much of it: ranks of (number, coverage), most first, in two arrays of pixels × <see cref="Ranks"/>;
/// number −1: nothing. Names by number.
/// </summary>
public sealed class IdMatte
{
    public IdMatte(string layer, IReadOnlyList<string> names, int pixels)
        : this(layer, names, Filled(pixels * Ranks), new float[pixels * Ranks]) { }

    private IdMatte(string layer, IReadOnlyList<string> names, int[] numbers, float[] coverage) =>
        (Layer, Names, Numbers, Coverage) = (layer, names, numbers, coverage);

    public const int Ranks = 6;
    public const string ObjectLayer = "id_object",
        MaterialLayer = "id_material";

    public string Layer { get; }
    public IReadOnlyList<string> Names { get; }
    public int[] Numbers { get; }
    public float[] Coverage { get; }

    /// <summary>That of the inner part of a picture of a size.</summary>
    public IdMatte Within(int width, int height, int margin) =>
        new(
            Layer,
            Names,
            Images.FloatImage.Within(Numbers, width, height, Ranks, margin),
            Images.FloatImage.Within(Coverage, width, height, Ranks, margin)
        );

    private static int[] Filled(int length)
    {
        var all = new int[length];
        Array.Fill(all, -1);
        return all;
    }

    /// <summary>How much of each pixel those with one of these names cover.</summary>
    public float[] Of(IReadOnlyCollection<string> chosen)
    {
        HashSet<int> numbers = [.. Enumerable.Range(0, Names.Count).Where(i => chosen.Contains(Names[i]))];
        var result = new float[Numbers.Length / Ranks];
        for (int i = 0; i < Numbers.Length; i++)
        {
            if (Numbers[i] >= 0 && numbers.Contains(Numbers[i]))
            {
                result[i / Ranks] += Coverage[i];
            }
        }
        return result;
    }
}

/// <summary>Adds up who is seen in a pixel; used again for the next.</summary>
internal sealed class IdTally
{
    private int[] _numbers = new int[16];
    private float[] _weights = new float[16];
    private int _count;

    public void Add(int number, float weight)
    {
        if (weight <= 0)
        {
            return;
        }
        for (int i = 0; i < _count; i++)
        {
            if (_numbers[i] == number)
            {
                _weights[i] += weight;
                return;
            }
        }
        if (_count == _numbers.Length)
        {
            Array.Resize(ref _numbers, 2 * _count);
            Array.Resize(ref _weights, 2 * _count);
        }
        (_numbers[_count], _weights[_count]) = (number, weight);
        _count++;
    }

    /// <summary>The strongest ranks into a pixel, and empty again.</summary>
    public void Into(IdMatte matte, int pixel, int samples)
    {
        for (int r = 0; r < IdMatte.Ranks && r < _count; r++)
        {
            int best = r;
            for (int i = r + 1; i < _count; i++)
            {
                if (_weights[i] > _weights[best] || (_weights[i] == _weights[best] && _numbers[i] < _numbers[best]))
                {
                    best = i;
                }
            }
            (_numbers[r], _numbers[best], _weights[r], _weights[best]) = (_numbers[best], _numbers[r], _weights[best], _weights[r]);
            (matte.Numbers[pixel * IdMatte.Ranks + r], matte.Coverage[pixel * IdMatte.Ranks + r]) = (
                _numbers[r],
                MathF.Min(1, _weights[r] / samples)
            );
        }
        _count = 0;
    }
}
