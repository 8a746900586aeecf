// A short notice that goes away by itself.
import { ElMessage } from 'element-plus'
import 'element-plus/theme-chalk/el-message.css'

export const tell = (message: string) =>
  void ElMessage({ message, type: 'error', duration: 8000, showClose: true, grouping: true })
