"""The wait events of PostgreSQL 12 to 17, one a line.

Line: names | versions | advice | meaning. The first name is the newest; others are what older versions called it.
Versions: `12-17` is first and last, for each name or for all of them; only what differs from the whole span is written.
Where several names share one span, 13 gave the first of them, as it did with nearly all names; 17 changed the case of
many. Meanings are our own words.
"""

LOCK = """
relation | | table_lock | Waits for a lock on a whole table or index, which another session holds in a mode that conflicts.
transactionid | | row_lock | Waits until another transaction ends, because that one changed or locked the same row.
tuple | | row_lock | Waits for its turn on a row: others already wait for the transaction that holds it.
extend | | extend | Waits to make a table's file longer, because another session is doing so.
page | | page_lock | Waits for a lock on one page of a table or index.
object | | table_lock | Waits for a lock on a database object that is no table: a schema, type, role or the like.
advisory | | advisory | Waits for a lock that the application itself defined.
userlock | | advisory | Waits for an application-defined lock of an old kind.
virtualxid | | transaction_end | Waits until another session's current transaction is over, whatever it does.
frozenid | 12-17 | table_lock | Waits to update the oldest transaction number kept for a database.
spectoken, speculative token | | row_lock | Waits to see whether another session's insert of the same key goes through.
applytransaction | 16-17 | row_lock | A subscription's worker waits until a parallel one has applied its transaction.
"""

IO = """
BasebackupRead, BaseBackupRead | 17-17, 14-16 | small_file | Reads a file for a base backup.
BasebackupSync, BaseBackupSync | 17-17, 15-16 | small_file | Waits until a base backup's data is safely on disk.
BasebackupWrite, BaseBackupWrite | 17-17, 15-16 | small_file | Writes a base backup's data.
BuffileRead, BufFileRead | 17-17, 12-16 | temp_file | Reads back from a temporary file what did not fit in memory.
BuffileWrite, BufFileWrite | 17-17, 12-16 | temp_file | Writes to a temporary file what does not fit in memory.
BuffileTruncate, BufFileTruncate | 17-17, 14-16 | temp_file | Cuts off a temporary file.
ControlFileRead | | small_file | Reads the server's control file.
ControlFileSync | | small_file | Waits until the control file is safely on disk.
ControlFileSyncUpdate | | small_file | Waits until an update of the control file is safely on disk.
ControlFileWrite | | small_file | Writes the control file.
ControlFileWriteUpdate | | small_file | Writes an update of the control file.
CopyFileRead | | small_file | Reads a file that is being copied, for instance for CREATE DATABASE.
CopyFileWrite | | small_file | Writes a file that is being copied, for instance for CREATE DATABASE.
DsmAllocate, DSMAllocate | 17-17, 16-16 | small_file | Has the system set aside dynamic shared memory.
DsmFillZeroWrite, DSMFillZeroWrite | 17-17, 12-16 | small_file | Fills new dynamic shared memory with zeros.
DataFileExtend | | data_write | Makes a table's or index's file longer.
DataFileFlush | | data_write | Asks the system to start writing a data file to disk.
DataFileImmediateSync | | data_write | Waits until a data file is safely on disk, at once.
DataFilePrefetch | | data_read | Asks the system to read ahead in a data file.
DataFileRead | | data_read | Reads a page of a table or index that is not in shared buffers.
DataFileSync | | data_write | Waits until changes of a data file are safely on disk.
DataFileTruncate | | data_write | Cuts off the empty end of a data file.
DataFileWrite | | data_write | Writes a changed page to its data file.
LockFileAddtodatadirRead, LockFileAddToDataDirRead | 17-17, 12-16 | small_file | Reads the lock file of the data directory before adding a line.
LockFileAddtodatadirSync, LockFileAddToDataDirSync | 17-17, 12-16 | small_file | Waits until the lock file of the data directory is on disk.
LockFileAddtodatadirWrite, LockFileAddToDataDirWrite | 17-17, 12-16 | small_file | Writes a line to the lock file of the data directory.
LockFileCreateRead | | small_file | Reads while creating the lock file of the data directory.
LockFileCreateSync | | small_file | Waits until a new lock file of the data directory is on disk.
LockFileCreateWrite | | small_file | Writes a new lock file of the data directory.
LockFileRecheckdatadirRead, LockFileReCheckDataDirRead | 17-17, 12-16 | small_file | Reads the lock file again to see that it is still its own.
LogicalRewriteCheckpointSync | | small_file | Waits at a checkpoint until mappings of rewritten rows are on disk.
LogicalRewriteMappingSync | | small_file | Waits until mappings of rewritten rows are on disk.
LogicalRewriteMappingWrite | | small_file | Writes mappings of rewritten rows for logical replication.
LogicalRewriteSync | | small_file | Waits until mappings of rewritten rows are on disk.
LogicalRewriteTruncate | | small_file | Cuts off mappings of rewritten rows.
LogicalRewriteWrite | | small_file | Writes mappings of rewritten rows.
RelationMapRead | | small_file | Reads the map of the server's own tables to their files.
RelationMapReplace | 16-17 | small_file | Replaces the map of the server's own tables to their files.
RelationMapSync | 12-15 | small_file | Waits until the map of tables to files is on disk.
RelationMapWrite | | small_file | Writes the map of tables to files.
ReorderBufferRead | | small_file | Logical decoding reads back a large transaction from disk.
ReorderBufferWrite | | small_file | Logical decoding writes a large transaction to disk.
ReorderLogicalMappingRead | | small_file | Logical decoding reads mappings of rewritten rows.
ReplicationSlotRead | | small_file | Reads a replication slot's state.
ReplicationSlotRestoreSync | | small_file | Waits at start until a replication slot's state is on disk.
ReplicationSlotSync | | small_file | Waits until a replication slot's state is on disk.
ReplicationSlotWrite | | small_file | Writes a replication slot's state.
SlruFlushSync, SLRUFlushSync | 17-17, 12-16 | slru_io | Waits until transaction status pages are on disk, at a checkpoint or shutdown.
SlruRead, SLRURead | 17-17, 12-16 | slru_io | Reads a page of transaction status.
SlruSync, SLRUSync | 17-17, 12-16 | slru_io | Waits until transaction status pages are on disk.
SlruWrite, SLRUWrite | 17-17, 12-16 | slru_io | Writes a page of transaction status.
SnapbuildRead | | small_file | Logical decoding reads a stored snapshot.
SnapbuildSync | | small_file | Waits until a stored snapshot is on disk.
SnapbuildWrite | | small_file | Logical decoding writes a snapshot.
TimelineHistoryFileSync | | small_file | Waits until a timeline history received by replication is on disk.
TimelineHistoryFileWrite | | small_file | Writes a timeline history received by replication.
TimelineHistoryRead | | small_file | Reads a timeline history.
TimelineHistorySync | | small_file | Waits until a new timeline history is on disk.
TimelineHistoryWrite | | small_file | Writes a new timeline history.
TwophaseFileRead | | small_file | Reads the state of a prepared transaction.
TwophaseFileSync | | small_file | Waits until the state of a prepared transaction is on disk.
TwophaseFileWrite | | small_file | Writes the state of a prepared transaction.
VersionFileSync | 15-17 | small_file | Waits until a new database's version file is on disk.
VersionFileWrite | 15-17 | small_file | Writes a new database's version file.
WalBootstrapSync, WALBootstrapSync | 17-17, 12-16 | wal_file | Waits for the first log file while a cluster is made.
WalBootstrapWrite, WALBootstrapWrite | 17-17, 12-16 | wal_file | Writes the first log file while a cluster is made.
WalCopyRead, WALCopyRead | 17-17, 12-16 | wal_file | Reads a log file to make a new one from it.
WalCopySync, WALCopySync | 17-17, 12-16 | wal_file | Waits until a copied log file is on disk.
WalCopyWrite, WALCopyWrite | 17-17, 12-16 | wal_file | Writes a copied log file.
WalInitSync, WALInitSync | 17-17, 12-16 | wal_file | Waits until a new log file is on disk.
WalInitWrite, WALInitWrite | 17-17, 12-16 | wal_file | Fills a new log file with zeros.
WalRead, WALRead | 17-17, 12-16 | wal_file | Reads from the log, for replication or recovery.
WalsenderTimelineHistoryRead, WALSenderTimelineHistoryRead | 17-17, 12-16 | wal_file | A replication sender reads a timeline history.
WalSync, WALSync | 17-17, 12-16 | wal | Waits until log records are safely on disk; a commit needs this.
WalSyncMethodAssign, WALSyncMethodAssign | 17-17, 12-16 | wal | Waits for the log to be on disk before its sync method changes.
WalWrite, WALWrite | 17-17, 12-16 | wal | Writes log records to the log file.
WalSummaryRead | 17-17 | wal_file | Reads a summary of the log, for an incremental backup.
WalSummaryWrite | 17-17 | wal_file | Writes a summary of the log.
LogicalChangesRead | 14-14 | small_file | A subscription's worker reads changes it had put aside on disk.
LogicalSubxactRead | 14-14 | small_file | A subscription's worker reads changes it had put aside on disk.
LogicalChangesWrite | 14-14 | small_file | A subscription's worker puts changes aside on disk.
LogicalSubxactWrite | 14-14 | small_file | A subscription's worker puts changes aside on disk.
"""

IPC = """
AppendReady | 14-17 | parallel_wait | Waits until the parts of an Append over foreign tables have rows.
ArchiveCleanupCommand | 15-17 | recovery | Waits for archive_cleanup_command to end.
ArchiveCommand | 15-17 | recovery | Waits for archive_command to end.
BackendTermination | 14-17 | process | Waits until another session has ended.
BackupWaitWalArchive | 13-17 | process | A backup waits until the log files it needs are archived.
BgworkerShutdown, BgWorkerShutdown | 17-17, 12-16 | process | Waits until a background worker has ended.
BgworkerStartup, BgWorkerStartup | 17-17, 12-16 | process | Waits until a background worker has started.
BtreePage | | parallel_wait | A worker of a parallel index scan waits for the next page number.
BufferIo, BufferIO | 17-17, 14-16 | buffer_partner | Waits for another session that is reading or writing the same page.
CheckpointDone | | checkpoint | Waits until a checkpoint is complete.
CheckpointStart | | checkpoint | Waits until a checkpoint begins.
CheckpointDelayComplete | 17-17 | checkpoint | Waits for a session that holds up the end of a checkpoint.
CheckpointDelayStart | 17-17 | checkpoint | Waits for a session that holds up the start of a checkpoint.
ExecuteGather | | parallel_wait | The leader of a parallel query waits for rows of its workers.
HashBatchAllocate, Hash/Batch/Allocating | | parallel_wait | Waits until one process has set aside memory for a batch of a parallel hash join.
HashBatchElect, Hash/Batch/Electing | | parallel_wait | The processes of a parallel hash join choose who sets aside a batch.
HashBatchLoad, Hash/Batch/Loading | | parallel_wait | Waits until the others have loaded a batch of a parallel hash join.
HashBuildAllocate, Hash/Build/Allocating | | parallel_wait | Waits until one process has set aside the first hash table.
HashBuildElect, Hash/Build/Electing | | parallel_wait | The processes of a parallel hash join choose who sets aside the table.
HashBuildHashInner, Hash/Build/HashingInner | | parallel_wait | Waits until the others have hashed the inner side of the join.
HashBuildHashOuter, Hash/Build/HashingOuter | | parallel_wait | Waits until the others have divided the outer side of the join.
HashGrowBatchesAllocate, Hash/GrowBatches/Allocating | 12-15 | parallel_wait | Waits until one process has set aside more batches.
HashGrowBatchesReallocate | 16-17 | parallel_wait | Waits until one process has set aside more batches.
HashGrowBatchesDecide, Hash/GrowBatches/Deciding | | parallel_wait | The processes choose who decides about more batches.
HashGrowBatchesElect, Hash/GrowBatches/Electing | | parallel_wait | The processes choose who sets aside more batches.
HashGrowBatchesFinish, Hash/GrowBatches/Finishing | | parallel_wait | Waits until the decision about more batches is made.
HashGrowBatchesRepartition, Hash/GrowBatches/Repartitioning | | parallel_wait | Waits until the others have divided their rows anew.
HashGrowBucketsAllocate, Hash/GrowBuckets/Allocating | 12-15 | parallel_wait | Waits until one process has set aside more buckets.
HashGrowBucketsReallocate | 16-17 | parallel_wait | Waits until one process has set aside more buckets.
HashGrowBucketsElect, Hash/GrowBuckets/Electing | | parallel_wait | The processes choose who sets aside more buckets.
HashGrowBucketsReinsert, Hash/GrowBuckets/Reinserting | | parallel_wait | Waits until the others have put their rows into new buckets.
LogicalApplySendData | 16-17 | replication_wait | A subscription's leader waits to hand data to a parallel worker.
LogicalParallelApplyStateChange | 16-17 | replication_wait | Waits for a parallel apply worker to change its state.
LogicalSyncData | | replication_wait | Waits for the publisher's data in a first copy of a table.
LogicalSyncStateChange | | replication_wait | Waits for the first copy of a table to reach its next state.
MessageQueueInternal | | parallel_wait | Waits for a partner process to attach to a shared queue.
MessageQueuePutMessage | | parallel_wait | Waits to write a protocol message to a shared queue.
MessageQueueReceive | | parallel_wait | Waits for bytes from a partner process.
MessageQueueSend | | parallel_wait | Waits until a partner process takes bytes.
MultixactCreation | 17-17 | xact_status | Waits until a set of row lockers that is being made is complete.
ParallelBitmapScan | | parallel_wait | Waits until a partner has prepared the bitmap of a parallel scan.
ParallelCreateIndexScan | | parallel_wait | Waits until workers of CREATE INDEX have read the table.
ParallelFinish | | parallel_wait | Waits until parallel workers have finished.
ProcarrayGroupUpdate, ProcArrayGroupUpdate | 17-17, 12-16 | group_commit | Waits until a partner has ended this transaction along with others.
ProcSignalBarrier | 13-17 | process | Waits until all processes have taken note of a change.
Promote | | recovery | Waits for a standby to be promoted.
RecoveryConflictSnapshot | 13-17 | recovery | Recovery waits for queries that still see rows which vacuum removed on the primary.
RecoveryConflictTablespace | 13-17 | recovery | Recovery waits for queries that use a tablespace to be dropped.
RecoveryEndCommand | 15-17 | recovery | Waits for recovery_end_command to end.
RecoveryPause | 13-17 | recovery | Recovery was paused by hand.
ReplicationOriginDrop | | replication_wait | Waits until a replication origin is unused and can be dropped.
ReplicationSlotDrop | | replication_wait | Waits until a replication slot is unused and can be dropped.
RestoreCommand | 15-17 | recovery | Waits for restore_command to end.
SafeSnapshot | | serializable | Waits for a snapshot that a read-only deferrable transaction can trust.
SyncRep | | sync_rep | The commit waits for a synchronous standby.
WalReceiverExit | 14-17 | recovery | Waits until the process that receives the log has ended.
WalReceiverWaitStart | 14-17 | recovery | Waits for the startup process to send the first position for replication.
WalSummaryReady | 17-17 | process | Waits until a summary of the log is complete.
XactGroupUpdate, ClogGroupUpdate | | group_commit | Waits until a partner has noted this transaction's outcome along with others.
"""

LWLOCK = """
AddinShmemInit, AddinShmemInitLock | | engine | Shared memory for extensions is being set up.
AutoFile, AutoFileLock | | engine | The file of settings changed by ALTER SYSTEM is being written.
Autovacuum, AutovacuumLock | | engine | Reads or changes the state of autovacuum workers.
AutovacuumSchedule, AutovacuumScheduleLock | | engine | Makes sure that a table chosen for vacuum still needs it.
BackgroundWorker, BackgroundWorkerLock | | engine | Reads or changes the list of background workers.
BtreeVacuum, BtreeVacuumLock | | engine | Reads or changes the state of a vacuum of a B-tree index.
BufferContent, buffer_content | | buffer_content | Waits to read or change a page in memory that another session is using.
BufferIO, buffer_io | 12-13 | buffer_partner | Waits for another session that is reading or writing the same page.
BufferMapping, buffer_mapping | | buffer_mapping | Waits to find or exchange a page in shared buffers.
Checkpoint, CheckpointLock | 12-13 | checkpoint | Waits to carry out a checkpoint.
CheckpointerComm, CheckpointerCommLock | | engine | Hands over requests to write files to disk.
CommitTs, CommitTsLock | | xact_status | Reads or changes the last commit's time.
CommitTsBuffer, commit_timestamp | | slru_io | Waits for a page of commit times to be read or written.
CommitTsSLRU, CommitTsControlLock | | xact_status | Waits to use the cache of commit times.
ControlFile, ControlFileLock | | engine | Reads or changes the control file, or makes a new log file.
DSMRegistry | 17-17 | engine | Reads or changes the register of shared memory of extensions.
DSMRegistryDSA | 17-17 | engine | Sets aside memory for the register of shared memory.
DSMRegistryHash | 17-17 | engine | Looks up the register of shared memory.
DynamicSharedMemoryControl, DynamicSharedMemoryControlLock | | parallel_engine | Reads or changes the list of shared memory pieces.
InjectionPoint | 17-17 | test_point | Reads or changes the list of points at which a test build stops.
LockFastPath, proc | | lock_manager | Reads or changes a session's own short list of table locks.
LockManager, lock_manager | | lock_manager | Waits to use a part of the table in which all heavy locks stand.
LogicalRepLauncherDSA | 16-17 | replication_engine | Sets aside memory for the launcher of subscriptions.
LogicalRepLauncherHash | 16-17 | replication_engine | Looks up when subscriptions' workers last started.
LogicalRepWorker, LogicalRepWorkerLock | | replication_engine | Reads or changes the state of subscription workers.
MultiXactGen, MultiXactGenLock | | xact_status | Makes a number for a set of transactions that lock the same row.
MultiXactMemberBuffer, multixact_member | | slru_io | Waits for a page of row lockers to be read or written.
MultiXactMemberSLRU, MultiXactMemberControlLock | | xact_status | Waits to use the cache of row lockers.
MultiXactOffsetBuffer, multixact_offset | | slru_io | Waits for a page of the index of row lockers.
MultiXactOffsetSLRU, MultiXactOffsetControlLock | | xact_status | Waits to use the index of row lockers.
MultiXactTruncation, MultiXactTruncationLock | | xact_status | Reads or cuts off the store of row lockers.
NotifyBuffer, async | | slru_io | Waits for a page of NOTIFY messages to be read or written.
NotifyQueue, AsyncQueueLock | | engine | Reads or changes the queue of NOTIFY messages; at commit, all sessions that notify queue here.
NotifyQueueTail | 13-17 | engine | Changes how far NOTIFY messages are kept.
NotifySLRU, AsyncCtlLock | | engine | Waits to use the cache of NOTIFY messages.
OidGen, OidGenLock | | engine | Makes a new object number.
OldSnapshotTimeMap, OldSnapshotTimeMapLock | 12-16 | engine | Looks up or notes the age of snapshots.
ParallelAppend, parallel_append | | parallel_engine | Workers choose the next part of a parallel Append.
ParallelHashJoin, parallel_hash_join | | parallel_engine | Workers of a parallel hash join coordinate.
ParallelQueryDSA, parallel_query_dsa | | parallel_engine | Sets aside memory shared by a parallel query.
ParallelVacuumDSA | 17-17 | parallel_engine | Sets aside memory shared by a parallel vacuum.
PerSessionDSA, session_dsa | | parallel_engine | Sets aside memory shared by a session and its workers.
PerSessionRecordType, session_record_table | | parallel_engine | A parallel query looks up a row type.
PerSessionRecordTypmod, session_typmod_table | | parallel_engine | A parallel query looks up a nameless row type.
PerXactPredicateList | 13-17 | serial_engine | Reads or changes what the current serializable transaction has read.
PgStatsDSA | 15-17 | statistics | Sets aside memory for activity figures.
PgStatsData | 15-17 | statistics | Reads or changes activity figures.
PgStatsHash | 15-17 | statistics | Looks up activity figures.
PredicateLockManager, predicate_lock_manager | | serial_engine | Waits to use the table of what serializable transactions have read.
ProcArray, ProcArrayLock | | snapshot | Waits to read or change the list of running transactions: taking a snapshot, or ending one.
RelationMapping, RelationMappingLock | | catalogue | Reads or changes the map of the server's own tables to files.
RelCacheInit, RelCacheInitLock | | catalogue | Reads or changes the file that new sessions start their catalogue cache from.
ReplicationOrigin, ReplicationOriginLock | | replication_engine | Makes, drops or uses a replication origin.
ReplicationOriginState, replication_origin | | replication_engine | Reads or changes how far one replication origin has come.
ReplicationSlotAllocation, ReplicationSlotAllocationLock | | replication_engine | Sets aside or frees a replication slot.
ReplicationSlotControl, ReplicationSlotControlLock | | replication_engine | Reads or changes the state of replication slots.
ReplicationSlotIO, replication_slot_io | | replication_engine | Waits for a replication slot's state to be written.
SerialBuffer, oldserxid | | slru_io | Waits for a page of serializable conflicts to be read or written.
SerialControl | 17-17 | serial_engine | Reads or changes the state of stored serializable conflicts.
SerialSLRU, OldSerXidLock | | serial_engine | Waits to use the cache of serializable conflicts.
SerializableFinishedList, SerializableFinishedListLock | | serial_engine | Reads or changes the list of finished serializable transactions.
SerializablePredicateList, SerializablePredicateLockListLock | | serial_engine | Reads or changes the list of what serializable transactions have read.
SerializableXactHash, SerializableXactHashLock, serializable_xact | | serial_engine | Reads or changes the list of serializable transactions.
SharedTidBitmap, tbm | | parallel_engine | Workers share the bitmap of a parallel bitmap scan.
SharedTupleStore, shared_tuplestore | | parallel_engine | Workers share a store of rows.
ShmemIndex, ShmemIndexLock | | engine | Finds or sets aside a piece of shared memory.
SInvalRead, SInvalReadLock | | catalogue | Reads the messages that tell of changed tables.
SInvalWrite, SInvalWriteLock | | catalogue | Adds a message that tells of a changed table.
SubtransBuffer, subtrans | | slru_io | Waits for a page of subtransactions to be read or written.
SubtransSLRU, SubtransControlLock | | xact_status | Waits to use the cache of subtransactions.
SyncRep, SyncRepLock | | sync_rep | Reads or changes what is known of synchronous standbys.
SyncScan, SyncScanLock | | engine | Chooses where a scan that joins others should start.
TablespaceCreate, TablespaceCreateLock | | engine | Makes or drops a tablespace.
TwoPhaseState, TwoPhaseStateLock | | engine | Reads or changes the list of prepared transactions.
WALBufMapping, WALBufMappingLock | | wal_buffers | Waits for a free page in the log buffers.
WALInsert, wal_insert | | wal_buffers | Waits to place a log record in the log buffers.
WALSummarizer | 17-17 | engine | Reads or changes the state of the log summariser.
WALWrite, WALWriteLock | | wal | Waits while another session writes the log to disk, its own commit record perhaps included.
WaitEventCustom | 17-17 | engine | Reads or names an extension's own wait event.
WrapLimitsVacuum | 13-17 | xact_status | Changes the limits of transaction numbers.
XactBuffer, clog | | slru_io | Waits for a page of transaction outcomes to be read or written.
XactSLRU, CLogControlLock | | xact_status | Waits to use the cache of transaction outcomes.
XactTruncation, CLogTruncationLock | | xact_status | Reads or changes the oldest transaction number kept.
XidGen, XidGenLock | | snapshot | Waits to be given a new transaction number.
"""

CLIENT = """
ClientRead | | client_read | Waits for the client to send something.
ClientWrite | | client_write | Waits for the client to take its result.
GssOpenServer, GSSOpenServer | 17-17, 12-16 | network | Waits for the client during a GSSAPI handshake.
LibpqwalreceiverConnect, LibPQWalReceiverConnect | 17-17, 12-16 | network | Waits to connect to another server for replication.
LibpqwalreceiverReceive, LibPQWalReceiverReceive | 17-17, 12-16 | network | Waits for data of another server for replication.
SslOpenServer, SSLOpenServer | 17-17, 12-16 | network | Waits for the client during a TLS handshake.
WaitForStandbyConfirmation | 17-17 | network | Logical replication waits until a physical standby has the log.
WalReceiverWaitStart | 12-13 | network | Waits for the startup process to send the first position for replication.
WalSenderWaitForWal, WalSenderWaitForWAL | 17-17, 12-16 | network | A replication sender waits until the log it needs is on disk.
WalSenderWriteData | | network | A replication sender waits while handling replies of the receiver.
"""

ACTIVITY = """
ArchiverMain | | idle_loop | Main loop of the archiver.
AutovacuumMain, AutoVacuumMain | 17-17, 12-16 | idle_loop | Main loop of the autovacuum launcher.
BgwriterHibernate, BgWriterHibernate | 17-17, 12-16 | idle_loop | The background writer rests.
BgwriterMain, BgWriterMain | 17-17, 12-16 | idle_loop | Main loop of the background writer.
CheckpointerMain | | idle_loop | Main loop of the checkpointer.
LogicalApplyMain | | idle_loop | Main loop of a subscription worker.
LogicalLauncherMain | | idle_loop | Main loop of the launcher of subscriptions.
LogicalParallelApplyMain | 16-17 | idle_loop | Main loop of a parallel subscription worker.
PgStatMain | 12-14 | idle_loop | Main loop of the statistics collector.
RecoveryWalAll | 12-12 | idle_loop | Recovery waits for log from any source.
RecoveryWalStream | | idle_loop | Recovery waits for log from streaming.
ReplicationSlotsyncMain | 17-17 | idle_loop | Main loop of the synchronisation of replication slots.
ReplicationSlotsyncShutdown | 17-17 | idle_loop | The synchronisation of replication slots ends.
SysloggerMain, SysLoggerMain | 17-17, 12-16 | idle_loop | Main loop of the log collector.
WalReceiverMain | | idle_loop | Main loop of the log receiver.
WalSenderMain | | idle_loop | Main loop of a replication sender.
WalSummarizerWal | 17-17 | idle_loop | The log summariser waits for more log.
WalWriterMain | | idle_loop | Main loop of the log writer.
"""

TIMEOUT = """
BaseBackupThrottle | | sleep | A base backup pauses to keep to its rate.
CheckpointWriteDelay | 14-17 | sleep | A checkpoint pauses between writes to spread them over time.
PgSleep | | sleep | The statement called pg_sleep or one of its siblings.
RecoveryApplyDelay | | sleep | Recovery waits because a delay is set.
RecoveryRetrieveRetryInterval | 13-17 | sleep | Recovery waits before it tries again to get log.
RegisterSyncRequest | | sleep | Waits before it tries again to hand over a request to write a file.
SpinDelay | 16-17 | engine | Pauses while it competes for a very short internal lock.
VacuumDelay | 13-17 | vacuum_delay | Vacuum pauses as its cost limit demands.
VacuumTruncate | 15-17 | sleep | Vacuum waits for the lock to cut off the empty end of a table.
WalSummarizerError | 17-17 | sleep | The log summariser pauses after an error.
"""

OTHERS = """
BufferPin | | pin | Waits until no other session holds this page of memory.
"""

EXTENSION = """
Extension | | extension | Waits inside an extension.
"""

INJECTION_POINT = """
InjectionPoint | 17-17 | test_point | Stopped at a point that a test build of the server put there.
"""

BY_TYPE: dict[str, str] = {
    "Activity": ACTIVITY,
    "BufferPin": OTHERS,
    "Client": CLIENT,
    "Extension": EXTENSION,
    "InjectionPoint": INJECTION_POINT,
    "IO": IO,
    "IPC": IPC,
    "Lock": LOCK,
    "LWLock": LWLOCK,
    "Timeout": TIMEOUT,
}

# What is said of an event that no line above knows: by its type.
TYPE_ADVICE: dict[str, tuple[str, str]] = {
    "Activity": ("idle_loop", "A background process waits for work."),
    "BufferPin": ("pin", "Waits until no other session holds this page of memory."),
    "Client": ("network", "Waits for the client or another network partner."),
    "Extension": ("extension", "Waits inside an extension."),
    "InjectionPoint": ("test_point", "Stopped at a point that a test build of the server put there."),
    "IO": ("small_file", "Waits for a file to be read or written."),
    "IPC": ("process", "Waits for another process of the server."),
    "Lock": ("table_lock", "Waits for a lock that another session holds."),
    "LWLock": ("engine", "Waits for a short internal lock of the server."),
    "Timeout": ("sleep", "Waits until a time is up."),
}
