package bargelane.tug;

import ch.qos.logback.classic.Logger;
import ch.qos.logback.classic.LoggerContext;
import ch.qos.logback.classic.encoder.JsonEncoder;
import ch.qos.logback.classic.encoder.PatternLayoutEncoder;
import ch.qos.logback.classic.spi.ILoggingEvent;
import ch.qos.logback.core.ConsoleAppender;
import ch.qos.logback.core.OutputStreamAppender;
import ch.qos.logback.core.encoder.EncoderBase;
import ch.qos.logback.core.rolling.RollingFileAppender;
import ch.qos.logback.core.rolling.SizeAndTimeBasedRollingPolicy;
import ch.qos.logback.core.util.FileSize;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.slf4j.LoggerFactory;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;

/**
 * Where and how a program logs, for it to have as options. A file begins anew each day and at
 * {@value #LARGEST_MIB} MiB; those of before are packed beside it, with their day in their names.
 */
public final class Logs {

  private static final int LARGEST_MIB = 64;
  private static final int MOST_MIB = 2048;
  private static final int LONGEST_DAYS = 3650;
  private static final String LINE = "%d{yyyy-MM-dd HH:mm:ss.SSS} %-5level %logger{24} %msg%n";

  @Option(
      names = "--log",
      paramLabel = "FORM",
      defaultValue = "text",
      description = "text, or json for an object a line (default: ${DEFAULT-VALUE}).")
  private String form;

  @Option(
      names = "--log-file",
      paramLabel = "FILE",
      description =
          "Log into this file, with those of earlier days packed beside it (default: the standard output).")
  private Path file;

  @Option(
      names = "--log-days",
      paramLabel = "DAYS",
      defaultValue = "30",
      description =
          "For how many days files of the log are kept, 2 GiB at most (default: ${DEFAULT-VALUE}).")
  private String days;

  /** Logs as the options say, from now on. */
  public void open(CommandSpec spec) {
    if (!form.equals("text") && !form.equals("json")) {
      throw Settings.wrong(spec, "--log", "'" + form + "' is not text or json");
    }
    if (!days.matches("[1-9][0-9]{0,3}") || Integer.parseInt(days) > LONGEST_DAYS) {
      throw Settings.wrong(
          spec, "--log-days", "'" + days + "' is not a number of days from 1 to " + LONGEST_DAYS);
    }
    if (file != null) {
      try {
        Path whole = file.toAbsolutePath();
        Files.createDirectories(whole.getParent());
        if (!Files.exists(whole)) {
          Files.createFile(whole);
        }
      } catch (IOException e) {
        throw Settings.wrong(spec, "--log-file", "the file " + file + " can't be written");
      }
      if (!Files.isWritable(file)) {
        throw Settings.wrong(spec, "--log-file", "the file " + file + " can't be written");
      }
    }
    use((LoggerContext) LoggerFactory.getILoggerFactory(), LARGEST_MIB * FileSize.MB_COEFFICIENT);
  }

  private void use(LoggerContext context, long largest) {
    use(context, form.equals("json"), file, Integer.parseInt(days), largest);
  }

  static void use(LoggerContext context, boolean json, Path file, int days, long largest) {
    OutputStreamAppender<ILoggingEvent> to =
        file == null ? new ConsoleAppender<>() : rolling(context, file, days, largest);
    to.setContext(context);
    to.setName("out");
    to.setEncoder(encoder(context, json));
    to.start();
    Logger root = context.getLogger(org.slf4j.Logger.ROOT_LOGGER_NAME);
    root.detachAndStopAllAppenders();
    root.addAppender(to);
  }

  private static RollingFileAppender<ILoggingEvent> rolling(
      LoggerContext context, Path file, int days, long largest) {
    RollingFileAppender<ILoggingEvent> appender = new RollingFileAppender<>();
    appender.setContext(context);
    appender.setFile(file.toString());
    SizeAndTimeBasedRollingPolicy<ILoggingEvent> policy = new SizeAndTimeBasedRollingPolicy<>();
    policy.setContext(context);
    policy.setParent(appender);
    policy.setFileNamePattern(file + ".%d{yyyy-MM-dd}.%i.gz");
    policy.setMaxFileSize(new FileSize(largest));
    policy.setMaxHistory(days);
    policy.setTotalSizeCap(new FileSize(MOST_MIB * FileSize.MB_COEFFICIENT));
    // After a long rest too.
    policy.setCleanHistoryOnStart(true);
    policy.start();
    appender.setRollingPolicy(policy);
    return appender;
  }

  private static EncoderBase<ILoggingEvent> encoder(LoggerContext context, boolean json) {
    EncoderBase<ILoggingEvent> encoder;
    if (json) {
      JsonEncoder lines = new JsonEncoder();
      lines.setWithSequenceNumber(false);
      lines.setWithNanoseconds(false);
      lines.setWithContext(false);
      lines.setWithArguments(false);
      lines.setWithMessage(false);
      lines.setWithFormattedMessage(true);
      encoder = lines;
    } else {
      PatternLayoutEncoder lines = new PatternLayoutEncoder();
      lines.setPattern(LINE);
      encoder = lines;
    }
    encoder.setContext(context);
    encoder.start();
    return encoder;
  }
}
