using Plenk.Bench;

if (args.Length == 3 && args[0] == "accuracy" && args[1] == "--court")
{
    return CourtAccuracy.Run(args[2]);
}
Console.Error.WriteLine("usage: bench/accuracy --court DIR");
return 2;
