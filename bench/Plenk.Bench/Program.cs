using Plenk.Bench;

switch (args)
{
    case ["accuracy", "--court", string court]:
        return CourtAccuracy.Run(court);
    case ["accuracy", "--demo"] or ["accuracy", "--demo", _]:
        return DemoAccuracy.Run(args.Length > 2 ? args[2] : "demo");
    case ["accuracy", "--passer", string passer]:
        return CleanAccuracy.Run(passer);
    case ["accuracy", "--closed"]:
        ClosedAccuracy.Run("demo/BTH_0040");
        return 0;
    case ["speed", string shotFolder, string url]:
        Speed.Rays(shotFolder);
        Speed.Composite(shotFolder);
        Speed.Seen(shotFolder);
        await Speed.Preview(url);
        return 0;
    case ["seen", string shotFolder]:
        Speed.Seen(shotFolder);
        return 0;
    case ["finish"]:
        FinishBench.Run();
        return 0;
    case ["composite", string court, string command, string reference]:
        return CompositeAccuracy.Run(court, command, reference);
    case ["relight", string shotFolder]:
        RelightBench.Run(shotFolder);
        return 0;
    case ["tracking", string court, string work]:
        return TrackingBench.Run(court, work);
    case ["stereo", string pair]:
        return StereoBench.Run(pair);
    case ["view"]:
        return ViewBench.Run();
    case ["endure", string url, string pid]:
        return await EndureBench.Run(url, int.Parse(pid, System.Globalization.CultureInfo.InvariantCulture));
    case ["outline", string filmed]:
        return OutlineBench.Run(filmed);
    case ["outline", string filmed, "--mattes"]:
        return OutlineBench.Run(filmed, mattesOnly: true);
    case ["layers", "write", string folder]:
        return LayersBench.Write(folder);
    case ["layers", "read", string folder]:
        return LayersBench.Read(folder);
    case ["bundle", string problem]:
        return BundleBench.Run(problem);
    default:
        Console.Error.WriteLine(
            "usage: bench/accuracy --court DIR, bench/accuracy --demo [DIR], bench/accuracy --passer DIR, bench/accuracy --closed, bench/speed, bench/bundle FILE, bench/stereo, bench/view, bench/relight, bench/finish, bench/endure [--kills N], bench/composite --court DIR, bench/tracking --court DIR, bench/outline DIR [--mattes], bench/layers"
        );
        return 2;
}
