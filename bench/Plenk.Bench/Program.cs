using Plenk.Store;
using Plenk.Work;
var store = new MediaStore("/tmp/mkshot/store");
var doc = DemoSeed.Build("demo/BTH_0040", b => store.Write(b));
ShotFolder.Write("/tmp/mkshot/shot", doc, store);
var w = System.Diagnostics.Stopwatch.StartNew();
foreach (var r in new ShotEngine(store).Readings(doc)) Console.WriteLine($"{r.Name}: {r.Value} {r.Unit} {r.Verdict} {r.Note} {r.Worst}");
Console.WriteLine(w.Elapsed);
return 0;
