namespace Plenk.Core.Shots;

/// <summary>Who made an asset, under which licence it may be used, and where it is from.</summary>
public sealed record AssetCredit(string Author = "", string Licence = "", string Source = "");
