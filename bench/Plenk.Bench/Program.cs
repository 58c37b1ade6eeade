using Plenk.Bench;

switch (args)
{
    case ["accuracy", "--court", string court]:
        return CourtAccuracy.Run(court);
    case ["speed", string shotFolder, string url]:
        Speed.Rays(shotFolder);
        Speed.Composite(shotFolder);
        await Speed.Preview(url);
        return 0;
    default:
        Console.Error.WriteLine("usage: bench/accuracy --court DIR, bench/speed");
        return 2;
}
