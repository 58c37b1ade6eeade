namespace Plenk.Core.Tracking.Outlines;

/// <summary>
/// The cheapest way to call each node inside or outside: a minimum cut by augmenting paths of two growing trees that are kept from one path to the
/// next (Boykov and Kolmogorov 2004, An Experimental Comparison of Min-Cut/Max-Flow Algorithms, section 3).
/// </summary>
public sealed class MinimumCut
{
    private const int None = -1,
        Terminal = -2,
        Orphan = -3;
    private readonly int[] _first,
        _parent,
        _time,
        _far;
    private readonly float[] _terminal;
    private readonly bool[] _sink;
    private readonly bool[] _queued;
    private readonly List<int> _head = [],
        _next = [];
    private readonly List<float> _free = [];
    private readonly Queue<int> _active = new();
    private readonly Queue<int> _orphans = new();
    private int _now;

    public MinimumCut(int nodes)
    {
        (_first, _parent, _time, _far) = (new int[nodes], new int[nodes], new int[nodes], new int[nodes]);
        (_terminal, _sink, _queued) = (new float[nodes], new bool[nodes], new bool[nodes]);
        Array.Fill(_first, None);
        Array.Fill(_parent, None);
    }

    /// <summary>What it costs to call a node inside, and outside; adds up.</summary>
    public void Unary(int node, float inside, float outside) => _terminal[node] += outside - inside;

    /// <summary>What it costs to call two nodes differently.</summary>
    public void Pair(int a, int b, float cost)
    {
        Arc(a, b, cost);
        Arc(b, a, cost);
    }

    private void Arc(int from, int to, float free)
    {
        _head.Add(to);
        _free.Add(free);
        _next.Add(_first[from]);
        _first[from] = _head.Count - 1;
    }

    private void Activate(int node)
    {
        if (!_queued[node])
        {
            _queued[node] = true;
            _active.Enqueue(node);
        }
    }

    /// <summary>Which nodes lie inside.</summary>
    public bool[] Solve()
    {
        for (int i = 0; i < _terminal.Length; i++)
        {
            if (_terminal[i] != 0)
            {
                (_sink[i], _parent[i], _far[i]) = (_terminal[i] < 0, Terminal, 1);
                Activate(i);
            }
        }
        int node = None;
        while (true)
        {
            if (node == None || _parent[node] == None)
            {
                node = None;
                while (node == None && _active.TryDequeue(out int next))
                {
                    _queued[next] = false;
                    node = _parent[next] == None ? None : next;
                }
                if (node == None)
                {
                    break;
                }
            }
            int bridge = Grow(node);
            _now++;
            if (bridge == None)
            {
                node = None;
                continue;
            }
            Augment(bridge);
            while (_orphans.TryDequeue(out int orphan))
            {
                Adopt(orphan);
            }
        }
        return [.. Enumerable.Range(0, _parent.Length).Select(i => _parent[i] != None && !_sink[i])];
    }

    /// <summary>An arc from the source's tree to the sink's; none: the node has nothing more to grow to.</summary>
    private int Grow(int node)
    {
        for (int a = _first[node]; a != None; a = _next[a])
        {
            if ((_sink[node] ? _free[a ^ 1] : _free[a]) <= 0)
            {
                continue;
            }
            int other = _head[a];
            if (_parent[other] == None)
            {
                (_sink[other], _parent[other], _time[other], _far[other]) = (_sink[node], a ^ 1, _time[node], _far[node] + 1);
                Activate(other);
            }
            else if (_sink[other] != _sink[node])
            {
                return _sink[node] ? a ^ 1 : a;
            }
            else if (_time[other] <= _time[node] && _far[other] > _far[node])
            {
                (_parent[other], _time[other], _far[other]) = (a ^ 1, _time[node], _far[node] + 1);
            }
        }
        return None;
    }

    private void Augment(int bridge)
    {
        float least = _free[bridge];
        int source = _head[bridge ^ 1],
            sink = _head[bridge];
        for (int i = source; ; i = _head[_parent[i]])
        {
            if (_parent[i] == Terminal)
            {
                least = Math.Min(least, _terminal[i]);
                break;
            }
            least = Math.Min(least, _free[_parent[i] ^ 1]);
        }
        for (int i = sink; ; i = _head[_parent[i]])
        {
            if (_parent[i] == Terminal)
            {
                least = Math.Min(least, -_terminal[i]);
                break;
            }
            least = Math.Min(least, _free[_parent[i]]);
        }
        _free[bridge] -= least;
        _free[bridge ^ 1] += least;
        for (int i = source; ; )
        {
            int a = _parent[i];
            if (a == Terminal)
            {
                _terminal[i] -= least;
                if (_terminal[i] <= 0)
                {
                    _terminal[i] = 0;
                    Orphaned(i);
                }
                break;
            }
            int above = _head[a];
            _free[a] += least;
            _free[a ^ 1] -= least;
            if (_free[a ^ 1] <= 0)
            {
                Orphaned(i);
            }
            i = above;
        }
        for (int i = sink; ; )
        {
            int a = _parent[i];
            if (a == Terminal)
            {
                _terminal[i] += least;
                if (_terminal[i] >= 0)
                {
                    _terminal[i] = 0;
                    Orphaned(i);
                }
                break;
            }
            int above = _head[a];
            _free[a ^ 1] += least;
            _free[a] -= least;
            if (_free[a] <= 0)
            {
                Orphaned(i);
            }
            i = above;
        }
    }

    private void Orphaned(int node)
    {
        _parent[node] = Orphan;
        _orphans.Enqueue(node);
    }

    private void Adopt(int node)
    {
        int best = None,
            nearest = int.MaxValue;
        for (int a = _first[node]; a != None; a = _next[a])
        {
            if ((_sink[node] ? _free[a] : _free[a ^ 1]) <= 0)
            {
                continue;
            }
            int other = _head[a];
            if (_sink[other] != _sink[node] || _parent[other] is None or Orphan)
            {
                continue;
            }
            // How far its root is, if it still has one.
            int d = 0,
                j = other;
            while (true)
            {
                if (_time[j] == _now)
                {
                    d += _far[j];
                    break;
                }
                int up = _parent[j];
                d++;
                if (up == Terminal)
                {
                    (_time[j], _far[j]) = (_now, 1);
                    break;
                }
                if (up is Orphan or None)
                {
                    d = int.MaxValue;
                    break;
                }
                j = _head[up];
            }
            if (d == int.MaxValue)
            {
                continue;
            }
            if (d < nearest)
            {
                (best, nearest) = (a, d);
            }
            for (j = other; _time[j] != _now; j = _head[_parent[j]])
            {
                (_time[j], _far[j]) = (_now, d--);
            }
        }
        if (best != None)
        {
            (_parent[node], _time[node], _far[node]) = (best, _now, nearest + 1);
            return;
        }
        for (int a = _first[node]; a != None; a = _next[a])
        {
            int other = _head[a];
            if (_parent[other] == None || _sink[other] != _sink[node])
            {
                continue;
            }
            if ((_sink[node] ? _free[a] : _free[a ^ 1]) > 0)
            {
                Activate(other);
            }
            if (_parent[other] >= 0 && _head[_parent[other]] == node)
            {
                Orphaned(other);
            }
        }
        _parent[node] = None;
    }
}
