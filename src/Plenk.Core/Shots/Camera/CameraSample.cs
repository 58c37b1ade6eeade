namespace Plenk.Core.Shots;

/// <summary>CameraToWorld row-major; focal length and principal point in pixels of the camera's own picture size.</summary>
public sealed record CameraSample(double Frame, double[] CameraToWorld, double FocalPx, double Cx, double Cy);
