import java.util.List;

public class Crew {
    static class CrewException extends RuntimeException {
        CrewException(String m, Throwable cause) { super(m, cause); }
    }

    static class Gate implements AutoCloseable {
        public void close() { throw new IllegalStateException("gate stays shut"); }
    }

    static String find(List<String> roster, int i) { return roster.get(i); }

    static String assign(List<String> roster, int i) {
        try (Gate g = new Gate()) {
            return find(roster, i);
        } catch (RuntimeException e) {
            throw new CrewException("nobody at " + i + "\n\tat not.a.Frame(Frame.java:1) they say", e);
        }
    }

    public static void main(String[] args) {
        List.of(1).forEach(n -> assign(List.of(), n));
    }
}
