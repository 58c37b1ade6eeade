// The reference non-linear solver on a "Bundle Adjustment in the Large" problem: same residuals, same loss (squares), one thread.
#include <ceres/ceres.h>
#include <ceres/rotation.h>
#include <chrono>
#include <cstdio>
#include <vector>

struct Reprojection {
  double x, y;
  template <typename T> bool operator()(const T* camera, const T* point, T* residuals) const {
    T p[3];
    ceres::AngleAxisRotatePoint(camera, point, p);
    p[0] += camera[3]; p[1] += camera[4]; p[2] += camera[5];
    T u = -p[0] / p[2], v = -p[1] / p[2];
    T r2 = u * u + v * v;
    T d = 1.0 + r2 * (camera[7] + camera[8] * r2);
    residuals[0] = camera[6] * d * u - x;
    residuals[1] = camera[6] * d * v - y;
    return true;
  }
};

struct Clock : ceres::IterationCallback {
  std::chrono::steady_clock::time_point begin;
  std::vector<std::pair<double, double>> steps;
  ceres::CallbackReturnType operator()(const ceres::IterationSummary& s) override {
    steps.emplace_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(), s.cost);
    return ceres::SOLVER_CONTINUE;
  }
};

int main(int, char** argv) {
  FILE* f = fopen(argv[1], "r");
  int cameras, points, count;
  if (!f || fscanf(f, "%d %d %d", &cameras, &points, &count) != 3) return 2;
  std::vector<int> c(count), p(count);
  std::vector<double> x(2 * count), values(9 * cameras + 3 * points);
  for (int i = 0; i < count; i++) if (fscanf(f, "%d %d %lf %lf", &c[i], &p[i], &x[2 * i], &x[2 * i + 1]) != 4) return 2;
  for (double& v : values) if (fscanf(f, "%lf", &v) != 1) return 2;
  ceres::Problem problem;
  ceres::Solver::Options options;
  options.linear_solver_ordering = std::make_shared<ceres::ParameterBlockOrdering>();
  for (int i = 0; i < count; i++) {
    double* camera = &values[9 * c[i]];
    double* point = &values[9 * cameras + 3 * p[i]];
    problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Reprojection, 2, 9, 3>(new Reprojection{x[2 * i], x[2 * i + 1]}), nullptr, camera, point);
  }
  for (int i = 0; i < points; i++) options.linear_solver_ordering->AddElementToGroup(&values[9 * cameras + 3 * i], 0);
  for (int i = 0; i < cameras; i++) options.linear_solver_ordering->AddElementToGroup(&values[9 * i], 1);
  options.linear_solver_type = ceres::DENSE_SCHUR;
  options.num_threads = 1;
  options.max_num_iterations = 100;
  Clock clock;
  clock.begin = std::chrono::steady_clock::now();
  options.callbacks.push_back(&clock);
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  double near = 0;
  for (auto& s : clock.steps) if (s.second <= 1.001 * summary.final_cost) { near = s.first; break; }
  printf("reference: cost %.3f to %.3f, %d iterations, %.2f s; within 0.1 %% after %.2f s\n", summary.initial_cost, summary.final_cost,
         (int)summary.iterations.size(), clock.steps.back().first, near);
}
