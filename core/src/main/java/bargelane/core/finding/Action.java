package bargelane.core.finding;

import bargelane.core.word.Worded;
import java.util.Locale;

/**
 * Something a person can do about a thing. The client words it as a command, the console as a link.
 * Arguments are given in the order that each constant names; the last ones may be left out where
 * the reader must choose them.
 */
public enum Action implements Worded {
  /** Starts what a home needs. */
  SERVICE_START,
  /** Kind. */
  SITE_ADD,
  SITE_LIST,
  /** Site. */
  SITE_CHECK,
  /** Site. */
  SITE_SCAN,
  /** Site. */
  SITE_CREDENTIALS,
  CREDENTIAL_LIST,
  CREDENTIAL_ADD,
  /** Credential. */
  CREDENTIAL_EDIT,
  /** Credential, destinations. */
  CREDENTIAL_BIND,
  /** Site. */
  SERVER_ADD,
  /** Site, server, fingerprint. */
  SERVER_TRUST,
  /** Site. */
  SERVER_LIST,
  /** Site. */
  AGENT_KEY,
  /** Site. */
  AGENT_LIST,
  /** Site, agent. */
  AGENT_APPROVE,
  /** Site, agent. */
  AGENT_REMOVE,
  MACHINE_LIST,
  /** Filter. */
  MACHINE_FILTER,
  /** Site. */
  MACHINE_ADD,
  LABEL_LIST,
  BOOK_LIST,
  BOOK_ADD,
  /** Book. */
  BOOK_SHOW,
  FITNESS_LIST,
  ASSESSMENT_LIST,
  /** Target. */
  ASSESSMENT_ADD,
  /** Assessment. */
  ASSESSMENT_EDIT,
  /** Assessment. */
  ASSESSMENT_SHOW,
  /** Assessment. */
  ASSESSMENT_MACHINES,
  /** Assessment, machine. */
  ASSESSMENT_MACHINE,
  /** Assessment, the former revision. */
  ASSESSMENT_COMPARE,
  LANE_LIST,
  /** Lane, network. */
  LANE_JOIN_NETWORK,
  /** Lane, storage. */
  LANE_JOIN_STORAGE,
  /** Lane, machine, setting; a value, if there is one to suggest. */
  LANE_SET,
  /** Lane, machine, the disk's number. */
  LANE_COPY_DISK,
  /** Lane, machine. */
  LANE_SUBNET,
  /** Lane, network. */
  LANE_ACCEPT_OVERLAP,
  /** Lane. */
  LANE_SPANS,
  /** Lane. */
  LANE_RULES,
  /** Lane. */
  LANE_CLIENTS,
  /** Lane, machine. */
  LANE_INGRESS,
  /** Lane. */
  LANE_LINK,
  /** Lane. */
  LANE_REMOVE,
  TIMETABLE_LIST,
  WAVE_LIST,
  /** Wave. */
  WAVE_SHOW,
  /** Wave. */
  WAVE_LOAD,
  /** Wave, machine. */
  WAVE_SIZE,
  /** Wave. */
  WAVE_REFIT,
  /** Wave. */
  WAVE_TEST,
  /** Wave. */
  WAVE_CUTOVER,
  /** Wave. */
  WAVE_FAILBACK,
  /** Wave. */
  WAVE_RECONCILE,
  /** Wave. */
  WAVE_RESUME,
  /** Wave, site. */
  WAVE_DECLARE_LOST,
  /** Wave. */
  WAVE_SETTLE,
  /** Wave. */
  POINT_LIST,
  RUN_LIST,
  /** Run. */
  RUN_SHOW,
  /** Run. */
  RUN_CONSOLE,
  DOSSIER_LIST,
  APPROVAL_LIST,
  /** Approval. */
  APPROVAL_SHOW,
  /** Wave, verb. */
  APPROVAL_ASK,
  ACCOUNT_LIST,
  /** Account. */
  ACCOUNT_EDIT,
  TOKEN_LIST,
  NODE_LIST;

  @Override
  public String word() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  /** The remedy that is this, with nothing more to say. */
  public Remedy of(String... arguments) {
    return Remedy.of("", this, arguments);
  }
}
