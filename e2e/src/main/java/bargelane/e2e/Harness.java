package bargelane.e2e;

import bargelane.api.Trust;
import bargelane.client.ApiClient;
import bargelane.service.backup.Backups;
import bargelane.service.backup.PostgresTools;
import bargelane.service.node.Entities;
import bargelane.service.platform.Db;
import bargelane.standins.StandinServer;
import java.io.Closeable;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.function.Function;
import java.util.stream.Stream;

/**
 * The whole product as separate processes in a directory of its own: database, service, both
 * simulated platforms. Any of them can be killed and started again. Nothing is shared with another
 * harness.
 */
public final class Harness implements Closeable {

  private static final long START_SECONDS = 300;

  private final Path root;
  private final Path home;
  private final Path runtime;
  private final Map<String, Process> processes = new HashMap<>();
  private final String classPath;
  private final Function<String, List<String>> options;
  private final Optional<FirstHomes> homes;

  /** Simulated platforms that live in this JVM. */
  private final Map<String, StandinServer> here = new HashMap<>();

  private boolean light;
  private String database;

  private Harness(
      String classPath, Function<String, List<String>> options, Optional<FirstHomes> homes)
      throws IOException {
    this.root = root();
    this.classPath = classPath;
    this.options = options;
    this.homes = homes;
    this.home = Files.createTempDirectory("bargelane");
    // The database's unprivileged user must be able to get to its data.
    Files.setPosixFilePermissions(home, PosixFilePermissions.fromString("rwxr-xr-x"));
    this.runtime = Files.createTempDirectory("bl");
  }

  /**
   * A harness whose home is a fresh temporary directory. Its programs start from class archives and
   * first homes in the directory that the property {@code bargelane.archives} names, if it is set.
   */
  public static Harness create() throws IOException {
    String named = System.getProperty("bargelane.archives");
    String classPath =
        ClassArchive.jars(
            System.getProperty("surefire.test.class.path", System.getProperty("java.class.path")));
    if (named == null) {
      return new Harness(classPath, program -> List.of(), Optional.empty());
    }
    ClassArchive archive = ClassArchive.of(Path.of(named), classPath);
    return new Harness(
        classPath,
        program -> brief(archive.reading(program)),
        Optional.of(new FirstHomes(homesIn(named))));
  }

  /**
   * One whose simulated platforms live in this JVM, which spares their starts. They can't be
   * killed: a test that does so starts them as processes of their own, with {@link #create}.
   */
  public static Harness light() throws IOException {
    Harness harness = create();
    harness.light = true;
    return harness;
  }

  private static Path homesIn(String archives) {
    return Path.of(archives, "homes");
  }

  /** Keeps what the database and the simulated platforms have after their first start. */
  private void keepHomes(FirstHomes kept) throws IOException {
    database();
    new Db(database, "bargelane", line("database/password"), Entities.ALL, Entities.migrations())
        .close();
    postgres("stop");
    kept.keep("database", home.resolve("database"));
    estate("estate").cloud();
    for (String part : List.of("estate", "cloud")) {
      kill(part);
      kept.keep(part, home.resolve(part));
    }
  }

  /**
   * Lets every program do some of its work once, ended in order, so that its archive is written.
   */
  static void train(ClassArchive archive, String classPath, Path directory) throws IOException {
    try (Harness first = new Harness(classPath, program -> brief(List.of()), Optional.empty())) {
      first.keepHomes(new FirstHomes(homesIn(directory.toString())));
    }
    try (Harness harness =
        new Harness(classPath, program -> brief(archive.writing(program)), Optional.empty())) {
      harness.all();
      new Journey(harness.api(), line -> {}).prepare(harness, 60, 600);
      for (String name : List.copyOf(harness.processes.keySet())) {
        Process process = harness.processes.remove(name);
        process.destroy();
        ended(process);
      }
    }
  }

  /** The options of JVMs that live for a minute or two. */
  static String shortLived() {
    return "@" + root().resolve("scripts/short-lived.jvm");
  }

  private static List<String> brief(List<String> options) {
    return Stream.concat(options.stream(), Stream.of(shortLived())).toList();
  }

  private static Path root() {
    String named = System.getProperty("bargelane.root");
    Path at = named == null ? Path.of("").toAbsolutePath() : Path.of(named);
    while (!Files.exists(at.resolve("scripts/postgres"))) {
      at = at.getParent();
    }
    return at;
  }

  /** Starts everything with the demo seeds. */
  public Harness all() throws IOException {
    return database().estate("estate").cloud().service();
  }

  public Harness database() throws IOException {
    if (database == null && homes.isPresent()) {
      homes.get().give("database", home.resolve("database"));
    }
    database = postgres("start");
    return this;
  }

  private String postgres(String verb) throws IOException {
    return run(
        List.of(
            root.resolve("scripts/postgres").toString(),
            verb,
            home.resolve("database").toString()));
  }

  public Harness estate(String seed) throws IOException {
    return standin("estate", seed, 0, false);
  }

  /** The demo estate with made-up machines up to a number. */
  public Harness estate(int machines) throws IOException {
    return standin("estate", "estate", machines, false);
  }

  public Harness cloud() throws IOException {
    return cloud("cloud");
  }

  public Harness cloud(String seed) throws IOException {
    return standin("cloud", seed, 0, true);
  }

  /** A second cloud, of another shape, which {@link #all} leaves out. */
  public Harness secondCloud() throws IOException {
    return standin("fenwater", "fenwater", 0, true);
  }

  private Harness standin(String name, String seed, int machines, boolean tls) throws IOException {
    Path own = home.resolve(name);
    if (homes.isPresent() && seed.equals(name) && machines == 0) {
      homes.get().give(name, own);
    }
    Path sockets = runtime.resolve(name.substring(0, 1));
    if (light) {
      StandinServer server =
          StandinServer.start(seed, machines, Files.createDirectories(own), sockets, 0, tls);
      here.put(name, server);
      Files.writeString(own.resolve("address"), server.address() + "\n");
      return this;
    }
    List<String> command =
        java(
            "standin",
            "256m",
            "bargelane.standins.StandinMain",
            "--seed",
            seed,
            "--home",
            own.toString(),
            "--runtime",
            sockets.toString(),
            "--machines",
            String.valueOf(machines));
    if (tls) {
      command.add("--tls");
    }
    spawn(name, command);
    return this;
  }

  public Harness service() throws IOException {
    return service(List.of());
  }

  /** Starts the service with more options, such as {@code --no-tug}. */
  public Harness service(List<String> more) throws IOException {
    return serving("service", more);
  }

  /**
   * Starts one more node of the service, with the keys of the first one in a home of its own.
   *
   * @param name of its process, its home and the node
   */
  public Harness node(String name, List<String> more) throws IOException {
    Path own = Files.createDirectories(home.resolve(name));
    for (String key : List.of("master-key", "certificate.p12")) {
      Files.copy(
          home.resolve("service").resolve(key),
          own.resolve(key),
          StandardCopyOption.REPLACE_EXISTING,
          StandardCopyOption.COPY_ATTRIBUTES);
    }
    return serving(name, Stream.concat(Stream.of("--node", name), more.stream()).toList());
  }

  private Harness serving(String name, List<String> more) throws IOException {
    List<String> command =
        java(
            "service",
            "400m",
            "bargelane.service.node.ServiceMain",
            "--home",
            home.resolve(name).toString(),
            "--database",
            database,
            "--database-password-file",
            home.resolve("database/password").toString());
    command.addAll(more);
    spawn(name, command);
    return this;
  }

  private List<String> java(String program, String memory, String... arguments) {
    List<String> command =
        new ArrayList<>(
            List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-XX:+UseSerialGC",
                "-XX:+ExitOnOutOfMemoryError",
                "-Xmx" + memory));
    if (Harness.class.desiredAssertionStatus()) {
      command.add("-ea:bargelane...");
    }
    command.addAll(options.apply(program));
    command.addAll(List.of("-cp", classPath));
    command.addAll(List.of(arguments));
    return command;
  }

  private void spawn(String name, List<String> command) throws IOException {
    Files.createDirectories(home.resolve("log"));
    Path ready = Files.createDirectories(home.resolve(name)).resolve("ready");
    Files.deleteIfExists(ready);
    Path log = home.resolve("log").resolve(name + ".log");
    Process process =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.appendTo(log.toFile()))
            .redirectInput(ProcessBuilder.Redirect.from(new java.io.File("/dev/null")))
            .start();
    processes.put(name, process);
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(START_SECONDS);
    while (!Files.exists(ready)) {
      if (!process.isAlive() || System.nanoTime() > until) {
        throw new IOException(name + " did not start: " + Files.readString(log));
      }
      pause(50);
    }
  }

  /**
   * Waits a moment between two looks at another process, which can't tell us anything by itself.
   */
  public static void pause(long millis) throws IOException {
    try {
      TimeUnit.MILLISECONDS.sleep(millis);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  static String run(List<String> command) throws IOException {
    Process p = new ProcessBuilder(command).redirectError(ProcessBuilder.Redirect.INHERIT).start();
    String out = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
    if (ended(p) != 0) {
      throw new IOException(String.join(" ", command) + " failed with " + p.exitValue());
    }
    return out;
  }

  /** Ends a process at once, as a power cut would. */
  public void kill(String name) throws IOException {
    if (here.containsKey(name)) {
      throw new IllegalStateException(name + " lives in this JVM: start it with create()");
    }
    ended(processes.remove(name).destroyForcibly());
  }

  /** Ends the database's server and starts it again; whoever used it loses its connections. */
  public void restartDatabase() throws IOException {
    postgres("stop");
    postgres("start");
  }

  private static int ended(Process process) throws IOException {
    try {
      return process.waitFor();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /** Process of a part. */
  public Process process(String name) {
    return processes.get(name);
  }

  public String databaseUrl() {
    return database;
  }

  public Path home() {
    return home;
  }

  private String line(String file) {
    try {
      return Files.readString(home.resolve(file)).strip();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  public String serviceAddress() {
    return addressOf("service");
  }

  /** Where a node serves. */
  public String addressOf(String node) {
    return line(node + "/address");
  }

  /** Whom to take for the service. */
  public Trust trust() {
    return Trust.pinned(fingerprint());
  }

  public String fingerprint() {
    return line("service/fingerprint");
  }

  public String token() {
    return line("service/token");
  }

  public String signInPassword() {
    String text = line("service/sign-in");
    return text.substring(text.indexOf("password: ") + 10);
  }

  /** The service's API, with the token of its home. */
  public ApiClient api() {
    try {
      return ApiClient.ofHome(home);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** One of the platforms, seen directly and not through the service. */
  public Platform estate() {
    return new Platform(line("estate/address"), "mill-street-demo");
  }

  public Platform saltmarsh() {
    return new Platform(line("cloud/address"), "saltmarsh-demo");
  }

  public Platform fenwater() {
    return new Platform(line("fenwater/address"), "fenwater-demo");
  }

  /** Backups of the installation. */
  public Backups backups() throws IOException {
    return new Backups(
        new PostgresTools(database, "bargelane", line("database/password")),
        Files.createDirectories(home.resolve("service")),
        Clock.systemUTC());
  }

  /** Kills the service, and has its database and its home be lost. */
  public void loseService() throws IOException {
    kill("service");
    postgres("remove");
    for (String part : List.of("service", "database")) {
      delete(home.resolve(part));
    }
  }

  /** Brings the installation back from a backup into a new database. */
  public void restore(Path file, Optional<char[]> passphrase) throws IOException {
    database();
    backups().restore(file, passphrase, Integer.MAX_VALUE);
  }

  private static void delete(Path tree) throws IOException {
    try (Stream<Path> all = Files.walk(tree)) {
      for (Path path : all.sorted(java.util.Comparator.reverseOrder()).toList()) {
        Files.deleteIfExists(path);
      }
    }
  }

  /** What the service's process logged. */
  public String log(String name) {
    return line("log/" + name + ".log");
  }

  @Override
  public void close() throws IOException {
    for (String name : List.copyOf(processes.keySet())) {
      kill(name);
    }
    for (StandinServer server : here.values()) {
      server.close();
    }
    postgres("remove");
    for (Path tree : List.of(home, runtime)) {
      delete(tree);
    }
  }
}
