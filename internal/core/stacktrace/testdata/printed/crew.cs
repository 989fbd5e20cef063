using System; using System.Collections.Generic; using System.Threading.Tasks;
class CrewException : Exception { public CrewException(string m, Exception e) : base(m, e) {} }
class Crew {
  static string Find(Dictionary<string, string> roster, string name) { return roster[name]; }
  static string Assign(string name) {
    try { return Find(new Dictionary<string, string>(), name); }
    catch (KeyNotFoundException e) { throw new CrewException("nobody is called " + name, e); }
  }
  static async Task Open() { await Task.Yield(); Assign("Ines"); }
  static void Main() { Open().Wait(); }
}
