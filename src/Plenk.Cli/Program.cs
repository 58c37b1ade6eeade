using System.CommandLine;
using Plenk.Cli;

var root = new RootCommand(
    "Plenk from the command line: the same work without a page. Exit: 0 done, 1 our fault, 2 usage, 3 the input has faults or there is no answer."
);
root.Subcommands.Add(CheckPlateCommand.Make());
root.Subcommands.Add(ExportShotCommand.Make());
root.Subcommands.Add(ImportShotCommand.Make());
root.Subcommands.Add(EditCommand.Make());
root.Subcommands.Add(RenderCommand.Make());
root.Subcommands.Add(SolveCommand.Make());
root.Subcommands.Add(LinesCommand.Make());
root.Subcommands.Add(ObjectCommand.Make());
root.Subcommands.Add(ConventionCommand.Make());
root.Subcommands.Add(ExportCameraCommand.Make());
root.Subcommands.Add(ProjectFootageCommand.Make());
root.Subcommands.Add(DepthMapCommand.Make());
root.Subcommands.Add(ViewSetCommand.Make());
root.Subcommands.Add(CleanPlateCommand.Make());
root.Subcommands.Add(RelightCommand.Make());
root.Subcommands.Add(PlaceElementCommand.Make());
root.Subcommands.Add(FindSunCommand.Make());
root.Subcommands.Add(BreakCommand.Make());
root.Subcommands.Add(FollowOutlineCommand.Make());
root.Subcommands.Add(PullMatteCommand.Make());
root.Subcommands.Add(GivePaintCommand.Make());
root.Subcommands.Add(TakePaintCommand.Make());
root.Subcommands.Add(WatchCommand.Make());
root.Subcommands.Add(ShelfAddCommand.Make());
root.Subcommands.Add(ShelfListCommand.Make());
root.Subcommands.Add(ShelfTakeCommand.Make());
root.Subcommands.Add(MeasurePlateCommand.Make());
root.Subcommands.Add(HandOverCommand.Make());
root.Subcommands.Add(VerifyFilesCommand.Make());
root.Subcommands.Add(WorkerCommand.Make());
root.Subcommands.Add(SchemaCommand.Make());
root.Subcommands.Add(ReadingsCommand.Make());

ParseResult parsed = root.Parse(args);
if (parsed.Errors.Count > 0)
{
    foreach (var error in parsed.Errors)
    {
        Console.Error.WriteLine(error.Message);
    }
    Console.Error.WriteLine("See plenk --help.");
    return 2;
}
return await parsed.InvokeAsync();
