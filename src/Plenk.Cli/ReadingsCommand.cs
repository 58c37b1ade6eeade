using System.CommandLine;
using Plenk.Work;

namespace Plenk.Cli;

internal static class ReadingsCommand
{
    public static Command Make()
    {
        var command = new Command("readings", "Prints what every reading means, as docs/guide/readings.md has it.");
        command.SetGuarded(
            (_, _) =>
            {
                Console.Write(ReadingGuide.Write());
                return Task.FromResult(0);
            }
        );
        return command;
    }
}
